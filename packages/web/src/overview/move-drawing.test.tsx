/** @jest-environment jsdom */
import { beforeEach, expect, test } from '@jest/globals';
import { curveDescription, type Curve } from '@pannet/core/moves/curve';
import { partTarget } from '@pannet/core/song/moves-of';
import { songFrames } from '@pannet/core/song/song';
import { act, fireEvent, screen } from '@testing-library/react';
import type { OpenSong } from '../session/open-song.ts';
import { openTwoParts, showIn } from '../testing/show-song.tsx';
import { SongPlace } from './SongPlace.tsx';

let open: OpenSong;
const width = 764;
const shares = [0, 0.25, 0.5, 0.75, 2];

// jsdom lays nothing out.
HTMLElement.prototype.getBoundingClientRect = () => new DOMRect(0, 0, width, 400);

/** A move of points at shares of the song's length, one of them behind its end. */
beforeEach(() => {
  open = openTwoParts('harp');
  showIn(open, <SongPlace />);
  const { song } = open.session.store.getState();
  const points = shares.map((share, n) => ({
    atS: (share * songFrames(song)) / (song.rateHz ?? 48_000),
    by: n % 2 ? -6 : 0,
  }));
  const curve = curveDescription.parse({ kind: 'points', points }) as Curve;
  act(() => {
    open.do('a move', [
      { kind: 'set-moves', moves: [{ id: 'm', target: partTarget('harp', 'levelDb'), curve }] },
    ]);
  });
});

const points = () => screen.getAllByRole('button', { name: /^Point of Harp/ });
const places = () => points().map((point) => Number(point.getAttribute('cx')) / width);
const look = (from: number, to: number) => {
  const frames = songFrames(open.session.store.getState().song);
  act(() => open.view.setState({ view: { from: from * frames, to: to * frames } }));
};
const rested = () => act(() => new Promise((resolve) => setTimeout(resolve, 150)));

test('points are where what is shown of the song has them, once it has come to rest', async () => {
  for (const [n, place] of places().entries()) expect(place).toBeCloseTo(shares[n], 6);
  for (let n = 0; n < 5; n++) look(n / 25, 1 - n / 10);
  expect(places()[1]).toBeCloseTo(0.25, 6);
  look(0.2, 0.6);
  await rested();
  const [second, third] = places();
  expect(second).toBeCloseTo((0.25 - 0.2) / 0.4, 6);
  expect(third).toBeCloseTo((0.5 - 0.2) / 0.4, 6);
});

test('while it plays, and the view goes along, they are not far behind', async () => {
  look(0, 0.5);
  await rested();
  act(() => open.playback.store.setState({ state: 'playing' }));
  for (let n = 0; n < 20; n++) {
    look(0, 0.5 + 0.01 * n);
    await act(() => new Promise((resolve) => setTimeout(resolve, 10)));
  }
  // 200 ms: they were seen to at least once since the first of them.
  expect(places()[1]).toBeLessThan(0.25 / 0.53);
});

test('beside what is shown there are only the one that is chosen, and what no view shows', async () => {
  expect(points()).toHaveLength(5);
  look(0.2, 0.6);
  await rested();
  // The one behind the end is there for the keyboard.
  expect(places().filter((place) => place >= 0 && place <= 1)).toHaveLength(2);
  expect(points()).toHaveLength(3);
  fireEvent.focus(points()[0]);
  look(0.4, 0.6);
  await rested();
  expect(points()).toHaveLength(3);
  expect(points()[0].getAttribute('aria-label')).toMatch(/−6/);
  look(0, 1);
  await rested();
  expect(points()).toHaveLength(5);
});
