import { beforeEach, expect, test } from '@jest/globals';
import { imageLevel, type Level } from '@pannet/core/findings/part-figures';
import { neutralGroupStage } from '@pannet/core/image/group-stage';
import { groupOfParts } from '@pannet/core/song/along';
import { changedGroup, recalledGroupDraft } from '@pannet/core/song/groups';
import type { Song } from '@pannet/core/song/song';
import { neutralPreparation } from '@pannet/core/takes/preparation';
import type { GroupFigures, GroupState } from '../measuring/group-figures.ts';
import { measuredAs, sine } from '../testing/measured.fixture.ts';
import { twoParts } from '../testing/song.fixture.ts';
import { GroupComparing } from './group-comparing.ts';

/** As loud as its level says; none is known before it is measured. */
class Figures {
  measured = true;
  wanted: readonly GroupState[] = [];
  want(more: readonly GroupState[]): void {
    this.wanted = more;
  }
  levelOf({ group }: GroupState): Level | null {
    if (!this.measured) return null;
    const { lufs, foldLufs, truePeakDbtp } = imageLevel(measuredAs(sine(), sine(), null));
    const raised = (db: number | null) => (db === null ? null : db + group.levelDb);
    // Half as wide is a little louder in the fold, say.
    const narrow = group.stage.widthPercent < 100 ? 1.5 : 0;
    const fold = foldLufs === null ? null : foldLufs + narrow;
    return { lufs: raised(lufs), foldLufs: raised(fold), truePeakDbtp: raised(truePeakDbtp) };
  }
}

const draft = (levelDb: number, widthPercent = 100) => ({
  preparation: neutralPreparation,
  stage: { ...neutralGroupStage, widthPercent },
  levelDb,
});
let song: Song;
let figures: Figures;
let comparing: GroupComparing;
const group = (of: Song) => of.groups[0];
const recalled = (number: string): Song => ({
  ...song,
  groups: recalledGroupDraft(song, group(song), number),
});
const matched = (of: Song, mode: 'heard' | 'middle' = 'heard') =>
  comparing.matchedDb(of, group(of), mode);

beforeEach(() => {
  const drafts = { '1': draft(-6), '2': draft(-2, 50) };
  song = { ...twoParts(), groups: [groupOfParts('g', 'G', ['harp'], { drafts })] };
  figures = new Figures();
  comparing = new GroupComparing(figures as unknown as GroupFigures);
});

test('every draft is as loud as what was heard when it began, and so is that itself', () => {
  expect(matched(song)).toBeNull();
  comparing.hold(song, group(song));
  expect(figures.wanted).toEqual([{ song, group: group(song) }]);
  expect(matched(song)).toBeCloseTo(0, 9);
  expect(matched(recalled('1'))).toBeCloseTo(6, 9);
  expect(matched(recalled('2'))).toBeCloseTo(2, 9);
  expect(matched(recalled('2'), 'middle')).toBeCloseTo(0.5, 9);
  // Another press goes on with the level that is held.
  comparing.hold(recalled('1'), group(recalled('1')));
  expect(matched(recalled('2'))).toBeCloseTo(2, 9);
  expect(comparing.gains(recalled('1'), 'heard', {}).g).toBeCloseTo(10 ** (6 / 20), 9);
  comparing.release('g');
  expect(comparing.gains(recalled('1'), 'heard', {})).toEqual({});
  expect(figures.wanted).toEqual([]);
});

test('what is not measured yet is heard as it is exported, or goes on at its gain while it is changed', () => {
  comparing.hold(song, group(song));
  figures.measured = false;
  const one = recalled('1');
  expect(matched(one)).toBeNull();
  expect(comparing.gains(one, 'heard', { g: 1.7 })).toEqual({ g: 1 });
  const stage = { ...neutralGroupStage, widthPercent: 80 };
  const wide = { ...one, groups: changedGroup(one, 'g', { stage }) };
  expect(comparing.gains(wide, 'heard', { g: 1.7 })).toEqual({ g: 1.7 });
  expect(comparing.gains(wide, 'heard', {})).toEqual({ g: 1 });
});

test('a fader that is moved is heard as moved; a draft, a width or a name lets go of nothing', () => {
  comparing.hold(song, group(song));
  const one = recalled('1');
  expect(comparing.follow(one, song)).toEqual([]);
  // Back from a fader that was moved away from it before.
  const away = { ...one, groups: changedGroup(one, 'g', { levelDb: -9 }) };
  expect(comparing.follow(one, away)).toEqual([]);
  const stage = { ...neutralGroupStage, widthPercent: 80 };
  const wide = { ...one, groups: changedGroup(one, 'g', { stage, name: 'Called' }) };
  expect(comparing.follow(wide, one)).toEqual([]);
  expect('g' in comparing.store.getState().held).toBe(true);
  const moved = { ...wide, groups: changedGroup(wide, 'g', { levelDb: 1 }) };
  expect(comparing.follow(moved, wide)).toEqual(['Called']);
  expect(comparing.store.getState().held).toEqual({});
});

test('a group that is gone, or has no drafts any more, is compared no more', () => {
  for (const groups of [[], changedGroup(song, 'g', { drafts: {} })]) {
    comparing.hold(song, group(song));
    expect(comparing.follow({ ...song, groups }, song)).toEqual([]);
    expect(comparing.store.getState().held).toEqual({});
  }
});
