/** @jest-environment jsdom */
import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { partTarget, voiceTarget } from '@pannet/core/song/moves-of';
import type { Edit } from '@pannet/core/song/edits/edit';
import { act, fireEvent, screen, waitFor } from '@testing-library/react';
import { NoticeBoard } from '../controls/NoticeBoard.tsx';
import { openTwoParts, showIn } from '../testing/show-song.tsx';
import { BottomBar } from '../transport/BottomBar.tsx';
import type { OpenSong } from './open-song.ts';

type Seer = Parameters<OpenSong['playback']['onSeen']>[0];
let open: OpenSong;
let seers: Set<Seer>;

beforeEach(async () => {
  open = openTwoParts('harp');
  seers = new Set();
  open.playback.onSeen = (seer) => {
    seers.add(seer);
    return () => seers.delete(seer);
  };
  showIn(
    open,
    <>
      <BottomBar drawer={false} onDrawer={() => {}} />
      <NoticeBoard />
    </>,
  );
  play();
  fireEvent.click(screen.getByRole('button', { name: 'Write' }));
  await waitFor(() => expect(open.writing.store.getState().on).toBe(true));
});
afterEach(() => open.close());

const play = () => act(() => open.playback.store.setState({ state: 'playing' }));
const see = (seconds: number, state = 'playing') =>
  act(() => {
    for (const seer of [...seers])
      seer({ state, frame: Math.round(seconds * 48_000) } as Parameters<Seer>[0]);
  });
const song = () => open.session.store.getState().song;
const level = (levelDb: number): Edit[] => [
  { kind: 'set-part', partId: 'harp', changes: { levelDb } },
];
const steps = () => open.session.store.getState().history.undo.map(({ name }) => name);
const points = (n = 0) => {
  const { curve } = song().moves[n];
  return curve.kind === 'points' ? curve.points.map(({ atS, by }) => [atS, by]) : [];
};
const letGo = async () => {
  fireEvent.pointerUp(document.body);
  await act(() => new Promise((resolve) => setTimeout(resolve, 5)));
};
/** A fader that is held at some level for a while. */
const hold = (levelDb: number, from: number, to: number) => {
  for (let at = from; at <= to + 1e-9; at += 0.05) {
    act(() => open.preview(level(levelDb)));
    see(at);
  }
};

describe('what is held while it plays', () => {
  test('is written along the song in one step, and what is set stays as it was', async () => {
    hold(-6, 2, 3);
    hold(-12, 3.05, 4);
    act(() => void open.do('Harp: level', level(-12)));
    await letGo();
    expect(song().parts.harp.levelDb).toBe(0);
    expect(song().moves).toMatchObject([{ target: partTarget('harp', 'levelDb') }]);
    expect(steps()).toEqual(['Harp, level: written 0:02.0–0:04.0']);
    expect(points()).toContainEqual([2, -6]);
    expect(points().filter(([, by]) => by === -12).length).toBeGreaterThan(0);
    // Before and after that nothing is added.
    expect([points()[0][1], points().at(-1)?.[1]]).toEqual([0, 0]);
    expect(points().length).toBeLessThan(9);
    act(() => open.session.undo());
    expect(song().moves).toEqual([]);
  });

  test('is heard as it is held, also between two looks', () => {
    hold(-6, 2, 2.5);
    const { shown } = open.session.store.getState();
    // The control shows what it is moved to; what is heard is what is written.
    expect(shown.parts.harp.levelDb).toBe(-6);
    expect(open.writing.heard?.parts.harp.levelDb).toBe(0);
    expect(open.writing.heard?.moves).toEqual(shown.moves);
    const { curve } = shown.moves[0];
    expect(
      curve.kind === 'points' && curve.points.some(({ atS, by }) => atS >= 2.9 && by === -6),
    ).toBe(true);
  });

  test('adds to what was there, several things at once, and one that comes back to where it began is kept', async () => {
    const voices = song().parts.harp.image.voices;
    const [first] = voices;
    const place = (panPercent: number): Edit[] => [
      ...level(panPercent / 10),
      {
        kind: 'set-voice',
        partId: 'harp',
        voiceId: first.id,
        changes: { placement: { kind: 'pan', panPercent } },
      },
    ];
    const stands = first.placement.kind === 'pan' ? first.placement.panPercent : Number.NaN;
    act(
      () =>
        void open.session.do('a move', [
          {
            kind: 'set-moves',
            moves: [
              {
                id: 'm',
                target: partTarget('harp', 'levelDb'),
                curve: { kind: 'points', points: [{ atS: 0, by: -5, shape: 'straight' }] },
              },
            ],
          },
        ]),
    );
    act(() => open.preview(place(stands === -100 ? -60 : 60)));
    see(1);
    act(() => open.preview(place(stands === -100 ? -60 : 60)));
    see(2);
    // Back where it was: its control keeps nothing by itself.
    act(() => open.preview([{ kind: 'set-part', partId: 'harp', changes: { levelDb: 0 } }]));
    see(3);
    act(() => open.session.endPreview());
    await letGo();
    expect(song().moves.map(({ target }) => target)).toEqual([
      partTarget('harp', 'levelDb'),
      voiceTarget('harp', first.id, 'panPercent'),
    ]);
    expect(steps().at(-1)).toMatch(/^Harp, level and 1 more: written/);
    const by = stands === -100 ? -6 : 6;
    expect(points().find(([atS]) => atS === 1)).toEqual([1, -5 + by]);
    expect(points().at(-1)?.[1]).toBe(-5);
  });

  test('goes as far as the loop, then does nothing until it is let go of', async () => {
    hold(-6, 2, 3);
    see(1);
    expect(steps()).toHaveLength(1);
    hold(-9, 1.05, 1.5);
    act(() => void open.do('Harp: level', level(-9)));
    expect(steps()).toHaveLength(1);
    expect(song().parts.harp.levelDb).toBe(0);
    await letGo();
    hold(-3, 5, 6);
    act(() => void open.do('Harp: level', level(-3)));
    expect(steps()).toHaveLength(2);
  });

  test('is held by the pointer, whatever key is pressed: stopped, it is set for nothing', async () => {
    fireEvent.pointerDown(document.body);
    hold(-6, 2, 3);
    fireEvent.keyDown(document.body, { key: ' ' });
    see(3.1, 'stopped');
    act(() => open.playback.store.setState({ state: 'stopped' }));
    fireEvent.keyUp(document.body, { key: ' ' });
    await act(() => new Promise((resolve) => setTimeout(resolve, 5)));
    act(() => open.preview(level(-9)));
    act(() => void open.do('Harp: level', level(-9)));
    await letGo();
    expect(steps()).toEqual(['Harp, level: written 0:02.0–0:03.0']);
    expect(song().parts.harp.levelDb).toBe(0);
  });

  test('is kept where something else is done meanwhile, which is done, too', async () => {
    hold(-6, 2, 3);
    act(() => void open.keepDraft('1'));
    await letGo();
    expect(steps()).toEqual(['Harp, level: written 0:02.0–0:03.0', 'Harp: keep draft 1']);
  });

  test('before its first moment nothing else is heard than before', () => {
    act(() => open.preview(level(-6)));
    expect(open.writing.heard).toBe(song());
  });

  test('is given up by Escape', async () => {
    hold(-6, 2, 3);
    fireEvent.keyDown(document.body, { key: 'Escape' });
    hold(-7, 3.05, 3.3);
    await letGo();
    expect(steps()).toEqual([]);
    expect(song().moves).toEqual([]);
    expect(open.session.store.getState().shown).toBe(song());
  });

  test('that does not move, or goes by a cycle, is set for all of the song, and that is said', () => {
    const tilt: Edit[] = [{ kind: 'set-stage', partId: 'harp', changes: { tiltDb: 3 } }];
    act(() => open.preview(tilt));
    expect(screen.getByText(/does not move along the song/)).toBeTruthy();
    act(() => void open.do('tilt', tilt));
    expect(song().parts.harp.image.stage.tiltDb).toBe(3);
    act(
      () =>
        void open.session.do('a cycle', [
          {
            kind: 'set-moves',
            moves: [
              {
                id: 'm',
                target: partTarget('harp', 'levelDb'),
                curve: {
                  ...{ kind: 'cycle', rate: { value: 1, unit: 'Hz' }, shape: 'sine' },
                  ...{ depthDb: 3, depthPercent: 0, depthMs: 0, depthOctaves: 0, phasePercent: 0 },
                } as never,
              },
            ],
          },
        ]),
    );
    act(() => open.preview(level(-4)));
    expect(screen.getByText(/goes by a cycle, which is not written over/)).toBeTruthy();
    act(() => void open.do('Harp: level', level(-4)));
    expect(song().parts.harp.levelDb).toBe(-4);
  });

  test('is set as ever where nothing plays, where it is not to be written, and where it is typed', async () => {
    act(() => void open.do('typed', level(-2)));
    expect(song().parts.harp.levelDb).toBe(-2);
    act(() => open.playback.store.setState({ state: 'stopped' }));
    act(() => open.preview(level(-3)));
    act(() => void open.do('held', level(-3)));
    expect(song().parts.harp.levelDb).toBe(-3);
    play();
    fireEvent.click(screen.getByRole('button', { name: 'Write' }));
    await waitFor(() => expect(open.writing.store.getState().on).toBe(false));
    act(() => open.preview(level(-4)));
    act(() => void open.do('held', level(-4)));
    expect(song().parts.harp.levelDb).toBe(-4);
    expect(song().moves).toEqual([]);
  });
});
