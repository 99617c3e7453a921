import { afterEach, beforeEach, describe, expect, jest, test } from '@jest/globals';
import { recipes } from '@pannet/core/image/recipes';
import type { Edit } from '@pannet/core/song/edits/edit';
import { partTarget } from '@pannet/core/song/moves-of';
import { newVoice } from '@pannet/core/voices/voice';
import { notices } from '../controls/notices.ts';
import { OpenSong } from '../session/open-song.ts';
import { FakeWorker } from '../testing/fake-worker.ts';
import { measuredAs, sine } from '../testing/measured.fixture.ts';
import { twoPartsSession } from '../testing/session.fixture.ts';
import type { MeasureJob } from '../measuring/messages.ts';
import { plainImage, stateEdits } from './blind-session.ts';
import { imageState } from './comparing.ts';
import { partsOfKey, toggleKeyOf } from './toggle-keys.ts';

const measured = measuredAs(sine(), sine(), -20);

let open: OpenSong;

beforeEach(() => {
  jest.useFakeTimers();
  open = new OpenSong(twoPartsSession(), 'hum');
  // There is no audio host here: what would be played is only asked for.
  open.playback.play = () => Promise.resolve();
});
afterEach(() => {
  open.close();
  jest.useRealTimers();
});

const doing = (...edits: Edit[]) => open.do('step', edits);
const monitoring = () => open.playback.store.getState().monitoring;
const hum = () => open.session.store.getState().song.parts.hum;
const decibels = (gain: number) => 20 * Math.log10(gain);

/** Answers all that is to be measured: each image by the number of its voices, plain at −20. */
function measureAll(loudness: Readonly<Record<number, number>>): void {
  for (let n = 0; n < 8; n++) {
    jest.advanceTimersByTime(200);
    const worker = FakeWorker.of('measure.worker.ts');
    const job = worker.posted.at(-1) as MeasureJob | undefined;
    if (!job) return;
    const lufs = loudness[job.song.parts[job.partId].image.voices.length] ?? -20;
    const report = { ...measured.report, loudnessLufs: lufs, truePeakDbtp: -12 };
    worker.answer({
      kind: 'measured',
      id: job.id,
      measured: {
        ...measured,
        report: { ...report, fold: { ...report.fold, lossDb: -3 } },
      },
    });
  }
}

describe('equal loudness', () => {
  test('plain is raised to the image, both when it is asked for and when that changes', () => {
    doing({ kind: 'set-image', partId: 'hum', image: recipes[0].image });
    measureAll({ 2: -17 });
    open.togglePlain();
    expect(decibels(monitoring().plain.hum)).toBeCloseTo(3, 9);
    open.comparing.setMode('middle');
    // The image's fold is 3 LU softer: as loud as plain's.
    expect(decibels(monitoring().plain.hum)).toBeCloseTo(0, 9);
    open.togglePlain();
    expect(monitoring().plain).toEqual({});
  });

  test('drafts are held at the level of when the comparison began, until it is let go', () => {
    doing(
      { kind: 'set-image', partId: 'hum', image: recipes[0].image },
      { kind: 'set-draft', partId: 'hum', number: '1', image: recipes[0].image },
      { kind: 'set-draft', partId: 'hum', number: '2', image: recipes[1].image },
      { kind: 'choose-draft', partId: 'hum', number: '1' },
    );
    measureAll({ 2: -17, 3: -22 });
    expect(monitoring().image).toEqual({});
    open.recallDraft('2');
    expect(decibels(monitoring().image.hum)).toBeCloseTo(5, 9);
    open.recallDraft('1');
    expect(decibels(monitoring().image.hum)).toBeCloseTo(0, 9);
    open.recallDraft('2');
    open.comparing.release('hum');
    expect(monitoring().image).toEqual({});
  });

  describe('a level that is moved is heard as moved, and lets what was held go', () => {
    const moves: readonly (readonly [string, Edit])[] = [
      ['the fader', { kind: 'set-part', partId: 'hum', changes: { levelDb: -6 } }],
      ['the trim', { kind: 'set-stage', partId: 'hum', changes: { trimDb: -2 } }],
      ['the flanks', { kind: 'set-stage', partId: 'hum', changes: { flanksDb: -4 } }],
      ['a voice', { kind: 'set-voice', partId: 'hum', voiceId: 'v2', changes: { levelDb: -3 } }],
    ];
    const compared = () => {
      doing(
        { kind: 'set-image', partId: 'hum', image: recipes[0].image },
        { kind: 'set-draft', partId: 'hum', number: '2', image: recipes[1].image },
      );
      measureAll({ 2: -17, 3: -22 });
      open.togglePlain();
      open.togglePlain();
      open.recallDraft('2');
      expect(decibels(monitoring().image.hum)).toBeCloseTo(5, 9);
    };

    test.each(moves)('%s', (_, edit) => {
      compared();
      // While it is dragged, already.
      open.preview([edit]);
      expect(open.comparing.store.getState().held).toEqual({});
      expect(monitoring().image).toEqual({});
      doing(edit);
      expect(monitoring().image).toEqual({});
      expect(notices.getState().list.at(-1)?.sentence).toMatch(/equal loudness was let go/);
    });

    test('undone, it is heard as undone', () => {
      compared();
      doing(moves[0][1]);
      measureAll({ 3: -28 });
      open.togglePlain();
      expect(open.comparing.store.getState().held.hum.lufs).toBeCloseTo(-28, 9);
      open.session.undo();
      expect(open.comparing.store.getState().held).toEqual({});
    });

    test('lowered and compared again, the lower level is the one that is held', () => {
      compared();
      doing(moves[0][1]);
      open.togglePlain();
      // Not measured as it is now: nothing is held that is no more.
      expect(open.comparing.store.getState().held).toEqual({});
      measureAll({ 3: -28 });
      expect(open.comparing.store.getState().held.hum.lufs).toBeCloseTo(-28, 9);
      expect(decibels(monitoring().plain.hum)).toBeCloseTo(-8, 9);
      open.togglePlain();
      expect(decibels(monitoring().image.hum)).toBeCloseTo(0, 9);
    });
  });

  test('a part that goes takes what was held of it along', () => {
    measureAll({});
    open.togglePlain(['harp']);
    expect(Object.keys(open.comparing.store.getState().held)).toEqual(['harp']);
    doing({ kind: 'remove-part', partId: 'harp' });
    expect(open.comparing.store.getState().held).toEqual({});
  });
});

describe('toggle keys', () => {
  test('each row has one; parts of one key flip together', () => {
    const { song } = open.session.store.getState();
    expect(song.partOrder.map((id) => toggleKeyOf(song, song.parts[id]))).toEqual(['q', 'w']);
    doing({ kind: 'set-part', partId: 'harp', changes: { toggleKey: 'q' } });
    const changed = open.session.store.getState().song;
    expect(partsOfKey(changed, 'q')).toEqual(['hum', 'harp']);
    expect(partsOfKey(changed, 'w')).toEqual([]);
    open.togglePlain(partsOfKey(changed, 'q'));
    expect(Object.keys(monitoring().plain).sort()).toEqual(['harp', 'hum']);
    open.togglePlain(partsOfKey(changed, 'q'));
    expect(monitoring().plain).toEqual({});
  });
});

describe('blind', () => {
  beforeEach(() => {
    doing(
      { kind: 'set-image', partId: 'hum', image: recipes[0].image },
      { kind: 'set-draft', partId: 'hum', number: '1', image: recipes[1].image },
    );
  });
  const shownVoices = () => open.session.store.getState().shown.parts.hum.image.voices.length;
  const blind = () => open.blind.store.getState().blind;

  test('waits until both are measured', () => {
    open.blind.begin(hum(), 'image', '1', 5);
    expect(blind()).toBeNull();
    expect(notices.getState().list).toHaveLength(1);
  });

  test('hears both as previews at equal loudness, counts, and keeps the outcome in the song', () => {
    measureAll({ 2: -17, 3: -22 });
    open.blind.begin(hum(), 'image', '1', 5);
    let firsts = 0;
    for (let round = 0; round < 6; round++) {
      open.blind.hear('b');
      const isFirst = shownVoices() === 2;
      expect(decibels(monitoring().image.hum)).toBeCloseTo(isFirst ? 0 : 5, 9);
      if (isFirst) firsts++;
      open.blind.choose('b');
    }
    expect(blind()).toMatchObject({ rounds: 6, firstChosen: firsts });
    // Nothing of the part has been changed by listening.
    expect(hum().image).toEqual(recipes[0].image);
    open.blind.end('2026-11-25T12:00:00.000Z');
    expect(blind()?.ended).toBe(true);
    expect(open.session.store.getState().song.comparisons).toMatchObject([
      { partId: 'hum', first: 'image', second: '1', rounds: 6, firstChosen: firsts },
    ]);
    open.blind.close();
    expect(blind()).toBeNull();
    expect(shownVoices()).toBe(2);
    open.session.undo();
    expect(open.session.store.getState().song.comparisons).toEqual([]);
  });

  test('left without a round it keeps nothing', () => {
    measureAll({ 2: -17, 3: -22 });
    open.blind.begin(hum(), 'image', 'plain', 6);
    open.blind.close();
    expect(monitoring().image).toEqual({});
    open.blind.begin(hum(), 'image', 'plain', 6);
    open.blind.end('2026-11-25T12:00:00.000Z');
    expect(open.session.store.getState().song.comparisons).toEqual([]);
  });

  test('plain stands still, whatever its part does; a draft moves as it was kept', () => {
    const curve = { kind: 'points', points: [{ atS: 0, by: -50, shape: 'straight' }] } as const;
    const moved = [
      { id: 'm1', target: partTarget('hum', 'widthPercent'), curve },
      { id: 'm2', target: partTarget('hum', 'levelDb'), curve },
    ];
    open.do('moves', [{ kind: 'set-moves', moves: moved }]);
    open.keepDraft('2');
    const { song } = open.session.store.getState();
    expect(imageState(song, hum())).toBe('2');
    expect(stateEdits(song, hum(), 'image').map(({ kind }) => kind)).toEqual(['set-image']);
    expect(stateEdits(song, hum(), 'plain')[1]).toEqual({ kind: 'set-moves', moves: [moved[1]] });
    open.do('still', [{ kind: 'set-moves', moves: [moved[1]] }]);
    expect(imageState(open.session.store.getState().song, hum())).toBe('image');
    open.recallDraft('2');
    const { moves } = open.session.store.getState().song;
    expect(moves.map(({ target }) => target.parameter).sort()).toEqual(['levelDb', 'widthPercent']);
  });

  test('plain as an image is the take in the middle, or its voice with its tone', () => {
    expect(plainImage(hum()).voices).toHaveLength(1);
    const tone = { lowCutHz: 300 };
    const voices = [newVoice('v1', 'a'), newVoice('v2', 'b', { tone, levelDb: -9 })];
    const image = { ...hum().image, voices };
    const [voice] = plainImage({ ...hum(), image, plainVoice: 'v2' }).voices;
    expect(voice).toMatchObject({ tone, levelDb: 0, placement: { kind: 'pan', panPercent: 0 } });
    const { song } = open.session.store.getState();
    expect(stateEdits(song, hum(), '1')).toEqual([
      { kind: 'set-image', partId: 'hum', image: recipes[1].image },
    ]);
  });
});
