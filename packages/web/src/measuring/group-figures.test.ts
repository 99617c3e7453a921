import { afterEach, beforeEach, expect, jest, test } from '@jest/globals';
import { roots } from '@pannet/core/rendering/plan';
import { neutralGroupStage } from '@pannet/core/image/group-stage';
import { groupOfParts } from '@pannet/core/song/along';
import { apply } from '@pannet/core/song/commands';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Song } from '@pannet/core/song/song';
import { neutralPreparation } from '@pannet/core/takes/preparation';
import { FakeWorker } from '../testing/fake-worker.ts';
import { measuredAs, sine } from '../testing/measured.fixture.ts';
import { twoParts } from '../testing/song.fixture.ts';
import { GroupFigures } from './group-figures.ts';
import type { SongJob } from './messages.ts';

let figures: GroupFigures;

beforeEach(() => {
  jest.useFakeTimers();
  FakeWorker.install();
  figures = new GroupFigures();
});
afterEach(() => {
  figures.close();
  jest.useRealTimers();
});

function changed(song: Song, ...edits: readonly Edit[]): Song {
  const outcome = apply(song, { id: 'c', name: 'c', role: 'do', edits });
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value.song;
}

const grouped = (changes = {}) =>
  changed(twoParts(), {
    kind: 'set-groups',
    groups: [groupOfParts('g', 'G', ['harp'], changes), groupOfParts('h', 'H', ['hum'])],
  });
const worker = () => FakeWorker.of('song.worker.ts');
const asked = () => (worker().posted[0] as SongJob).root;
const shown = () => figures.store.getState().groups;
const wait = () => jest.advanceTimersByTime(1300);

async function answered(): Promise<void> {
  const answer = { ...measuredAs(sine(), sine(), null), seconds: 1, channels: 2 };
  worker().answer({ kind: 'answer', answer });
  for (let n = 0; n < 6; n++) await Promise.resolve();
}

test('groups are measured one after another, once nothing changes, and again where something has', async () => {
  figures.update(grouped(), null);
  expect(figures.store.getState().busy).toBeNull();
  wait();
  expect(asked()).toBe(roots.group('g'));
  expect(figures.store.getState().busy).toEqual({ groupId: 'g', share: 0 });
  await answered();
  wait();
  expect(asked()).toBe(roots.group('h'));
  await answered();
  expect([shown().g.current, shown().h.current]).toEqual([true, true]);
  // Another level: only that one is stale.
  figures.update(grouped({ levelDb: -3 }), null);
  expect([shown().g.current, shown().h.current]).toEqual([false, true]);
  // And as it was before: known.
  figures.update(grouped({ name: 'called otherwise' }), null);
  expect(shown().g.current).toBe(true);
  // Another stretch is measured anew.
  figures.update(grouped(), { start: 0, end: 9000 });
  expect(shown().g.current).toBe(false);
});

test('drafts are measured after all groups, and what they are compared with; both are known by their content', async () => {
  const stage = { ...neutralGroupStage, widthPercent: 40 };
  const drafts = { '1': { preparation: neutralPreparation, stage, levelDb: -2 } };
  const song = grouped({ drafts });
  figures.update(song, null);
  const asIt = () => (worker().posted[0] as SongJob).song.groups.find(({ id }) => id === 'g');
  for (const id of ['g', 'h']) {
    wait();
    expect(asked()).toBe(roots.group(id));
    await answered();
  }
  const before = grouped({ drafts, levelDb: 5 });
  const goal = { song: before, group: before.groups[0] };
  figures.want([goal]);
  expect(figures.levelOf(goal)).toBeNull();
  wait();
  expect(asIt()?.levelDb).toBe(5);
  await answered();
  expect(figures.levelOf(goal)?.lufs).toBeCloseTo(-12.05, 1);
  wait();
  expect(asIt()).toMatchObject({ levelDb: -2, stage });
  await answered();
  wait();
  expect(figures.store.getState().busy).toBeNull();
  // Taken up, a draft is known.
  figures.update(grouped({ drafts, draft: '1', ...drafts['1'] }), null);
  expect(shown().g.current).toBe(true);
});

test('as many states as a song may have are all kept', async () => {
  const drafts = Object.fromEntries(
    Array.from({ length: 9 }, (_, n) => [
      String(n + 1),
      { preparation: neutralPreparation, stage: neutralGroupStage, levelDb: -1 - n },
    ]),
  );
  const groups = Array.from({ length: 8 }, (_, n) =>
    groupOfParts(`g${n}`, `G${n}`, n === 0 ? ['harp'] : [], { levelDb: n, drafts }),
  );
  figures.update(changed(twoParts(), { kind: 'set-groups', groups }), null);
  let measured = 0;
  for (; measured < 100; measured++) {
    wait();
    if (!figures.store.getState().busy) break;
    await answered();
  }
  expect(measured).toBe(80);
});

test('nothing is measured while it plays; what is under way is stopped', () => {
  figures.update(grouped(), null);
  wait();
  const first = worker();
  figures.setPlaying(true);
  expect(first.terminated).toBe(true);
  expect(figures.store.getState().busy).toBeNull();
  wait();
  expect(worker()).toBe(first);
  figures.setPlaying(false);
  wait();
  expect(worker()).not.toBe(first);
});

test('what fails is said, and not tried again unchanged', async () => {
  figures.update(grouped(), null);
  wait();
  worker().answer({ kind: 'failure', sentence: 'Out of memory.' });
  for (let n = 0; n < 6; n++) await Promise.resolve();
  expect(figures.store.getState().failure).toBe('Out of memory.');
  wait();
  expect(asked()).toBe(roots.group('h'));
});
