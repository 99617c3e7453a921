import { correlation, leanDb, sideToMidDb } from '@pannet/core/measurement/sides';
import { powerToDb } from '@pannet/core/quantities/units';
import { figure, signedFigure } from '@pannet/core/quantities/wording';
import { useEffect, useRef } from 'react';
import { useOpenSong } from '../session/use-open-song.ts';

/** Of what was there with each look, sixty a second: some 300 ms of memory. */
const memory = 0.95;
/** So many looks between two writings: figures that run cannot be read. */
const looksPerWriting = 12;
const silentPower = 1e-7;

/**
 * Writes what the selected part does at this moment, how wide, how alike, what the fold loses, on which side, into the cells of a
 * column. They are written from outside of React: sixty looks a second draw nothing anew.
 */
export function useLiveCells(row: number): (n: number) => (cell: HTMLElement | null) => void {
  const { playback } = useOpenSong();
  const cells = useRef<(HTMLElement | null)[]>([]);
  useEffect(() => {
    const held = [0, 0, 0];
    let looks = 0;
    const write = (texts: readonly string[]) => {
      for (const [n, text] of texts.entries()) {
        const cell = cells.current[n];
        if (cell && cell.textContent !== text) cell.textContent = text;
      }
    };
    return playback.onSeen(({ state, sums }) => {
      if (state !== 'playing') {
        held.fill(0);
        write(['–', '–', '–', '–']);
        return;
      }
      for (let n = 0; n < 3; n++)
        held[n] = held[n] * memory + (sums[3 * row + n] ?? 0) * (1 - memory);
      if (++looks % looksPerWriting > 0) return;
      write(liveTexts(held[0], held[1], held[2]));
    });
  }, [playback, row]);
  return (n) => (cell) => void (cells.current[n] = cell);
}

/** From Σl², Σr² and Σlr: S/M in dB, correlation, loss of the fold in dB, lean in dB. */
export function liveTexts(left: number, right: number, cross: number): string[] {
  const both = left + right;
  if (both < silentPower) return ['–', '–', '–', '–'];
  const sums = { left, right, cross };
  const held = (decibels: number) => Math.max(-60, Math.min(60, decibels));
  const alike = correlation(sums);
  const lean = leanDb(sums);
  const leanText = lean === null ? '–' : figure(Math.abs(held(lean)), 1);
  return [
    signedFigure(held(sideToMidDb(sums) ?? 0), 0),
    alike === null ? '–' : signedFigure(alike, 2),
    // Of two equal sides the fold loses nothing: all of them is in the middle.
    figure(held(powerToDb(Math.max(0, both + 2 * cross) / (2 * both))), 1),
    lean === null || Number(leanText) === 0 ? leanText : `${lean > 0 ? 'L' : 'R'} ${leanText}`,
  ];
}
