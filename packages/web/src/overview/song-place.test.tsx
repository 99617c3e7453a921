/** @jest-environment jsdom */
import { beforeEach, describe, expect, jest, test } from '@jest/globals';
import { partTarget } from '@pannet/core/song/moves-of';
import { removalEdits } from '@pannet/core/song/removal';
import { act, fireEvent, screen, within } from '@testing-library/react';
import { notices } from '../controls/notices.ts';
import type { OpenSong } from '../session/open-song.ts';
import { openTwoParts, showIn } from '../testing/show-song.tsx';
import { SongPlace } from './SongPlace.tsx';

let open: OpenSong;
const song = () => open.session.store.getState().song;
const type = (field: HTMLElement, text: string) => {
  fireEvent.change(field, { target: { value: text } });
  fireEvent.keyDown(field, { key: 'Enter' });
};
const choose = (label: string | RegExp, value: string) =>
  fireEvent.change(screen.getByLabelText(label), { target: { value } });

// jsdom lays nothing out.
HTMLElement.prototype.getBoundingClientRect = () => new DOMRect(0, 0, 764, 400);

beforeEach(() => {
  open = openTwoParts('harp');
  showIn(open, <SongPlace />);
});

describe('the song over time', () => {
  test('has a row for each part; a press selects one, with Ctrl several', () => {
    const hum = within(screen.getByTestId('lane-Hum')).getByRole('button', { name: /^Hum/ });
    fireEvent.click(hum, { ctrlKey: true });
    expect(open.selection.getState().partIds).toEqual(['harp', 'hum']);
    fireEvent.click(hum);
    expect(open.selection.getState()).toMatchObject({ partId: 'hum', partIds: ['hum'] });
  });

  test('selected parts become a group, which is named, levelled, muted, soloed and dissolved, each undone', () => {
    act(() => void open.selectAllParts());
    choose(/^Group of/, 'new');
    const row = () => within(screen.getByRole('group', { name: /^(Group 1|Strings)$/ }));
    expect(song().groups).toMatchObject([{ name: 'Group 1', partIds: ['hum', 'harp'] }]);
    const name = row().getByLabelText('Name of Group 1');
    fireEvent.change(name, { target: { value: 'Strings' } });
    fireEvent.blur(name);
    type(row().getByLabelText('Level of Strings'), '-4,5');
    fireEvent.click(row().getByRole('button', { name: 'Mute Strings' }));
    expect(song().groups).toMatchObject([{ name: 'Strings', levelDb: -4.5, muted: true }]);
    fireEvent.click(row().getByRole('button', { name: 'Solo Strings' }));
    expect(open.playback.store.getState().monitoring.solo).toEqual(['hum', 'harp']);
    fireEvent.click(row().getByRole('button', { name: 'Dissolve Strings' }));
    expect(song().groups).toEqual([]);
    for (let n = 0; n < 5; n++) act(() => void open.session.undo());
    expect(song().groups).toEqual([]);
    expect(open.session.store.getState().history.redo.map(({ name: step }) => step)).toContain(
      'Strings: level 0.0 → −4.5 dB',
    );
  });

  test('a group is set by a recipe, which is named for as long as it stands so', () => {
    choose(/^Group of/, 'new');
    fireEvent.click(screen.getByRole('button', { name: 'Settings of Group 1' }));
    const recipe = () => screen.getByLabelText('Recipe for Group 1') as HTMLSelectElement;
    expect(recipe().value).toBe('as-they-are');
    choose('Recipe for Group 1', 'wider-above');
    expect(song().groups[0].stage).toEqual({ widthPercent: 130, tiltDb: 2, lowHz: 180 });
    expect(recipe().value).toBe('wider-above');
    type(screen.getByLabelText('Width'), '120');
    expect(recipe().value).toBe('');
    act(() => void open.session.undo());
    act(() => void open.session.undo());
    expect(recipe().value).toBe('as-they-are');
  });

  test('a group is kept as drafts and is one again by its number keys, each a step that is undone', () => {
    choose(/^Group of/, 'new');
    fireEvent.click(screen.getByRole('button', { name: 'Settings of Group 1' }));
    const group = () => song().groups[0];
    fireEvent.click(screen.getByRole('button', { name: 'Keep as draft 1 of Group 1' }));
    choose('Recipe for Group 1', 'wider-above');
    type(screen.getByLabelText('Level of Group 1'), '-3');
    const one = () => screen.getByRole('button', { name: /^Draft 1 of Group 1/ });
    expect(one().getAttribute('aria-label')).toBe('Draft 1 of Group 1, changed');
    // An empty number keeps what is there; the part at work has no draft of it.
    fireEvent.keyDown(one(), { code: 'Digit2', key: '2' });
    expect(Object.keys(group().drafts)).toEqual(['1', '2']);
    expect(Object.values(song().parts).map(({ drafts }) => drafts)).toEqual([{}, {}]);
    fireEvent.keyDown(one(), { code: 'Digit1', key: '1' });
    expect(group()).toMatchObject({ draft: '1', levelDb: 0, stage: { widthPercent: 100 } });
    expect(one().getAttribute('aria-label')).toBe('Draft 1 of Group 1');
    fireEvent.click(screen.getByRole('button', { name: 'Draft 2 of Group 1' }));
    expect(group()).toMatchObject({ draft: '2', levelDb: -3, stage: { widthPercent: 130 } });
    // What is typed into a field is typed, and with Shift a draft is kept anew.
    fireEvent.keyDown(screen.getByLabelText('Level of Group 1'), { code: 'Digit1', key: '1' });
    expect(group().draft).toBe('2');
    type(screen.getByLabelText('Level of Group 1'), '-6');
    fireEvent.keyDown(one(), { code: 'Digit2', key: '"', shiftKey: true });
    expect(group().drafts['2'].levelDb).toBe(-6);
    const said = open.session.store.getState().history.undo.slice(-3);
    expect(said.map(({ name }) => name)).toEqual([
      'Group 1: draft 2',
      'Group 1: level −3.0 → −6.0 dB',
      'Group 1: keep draft 2',
    ]);
    for (let n = 0; n < 8; n++) act(() => void open.session.undo());
    expect([group().draft, group().drafts]).toEqual([null, {}]);
  });

  test('drafts of a group are compared at a level that is held until it is let go, or the fader is moved', () => {
    choose(/^Group of/, 'new');
    fireEvent.click(screen.getByRole('button', { name: 'Settings of Group 1' }));
    fireEvent.click(screen.getByRole('button', { name: 'Keep as draft 1 of Group 1' }));
    type(screen.getByLabelText('Level of Group 1'), '-3');
    const matched = () => screen.queryByRole('button', { name: /let go of the level of Group 1/ });
    const recall = () => fireEvent.click(screen.getByRole('button', { name: /^Draft 1 of/ }));
    expect(matched()).toBeNull();
    recall();
    expect(matched()?.textContent).toBe('not matched');
    fireEvent.click(matched() as HTMLElement);
    expect(matched()).toBeNull();
    recall();
    expect(matched()).not.toBeNull();
    type(screen.getByLabelText('Level of Group 1'), '-6');
    expect(matched()).toBeNull();
    expect(notices.getState().list.map(({ sentence }) => sentence)).toContainEqual(
      expect.stringContaining('“Group 1” is heard at the level that you set'),
    );
  });

  test('a group lies in another one, is soloed with it, and stays where that is dissolved', () => {
    choose(/^Group of/, 'new');
    act(() => void open.selection.setState({ partId: 'hum', partIds: ['hum'] }));
    choose(/^Group of/, 'new');
    fireEvent.click(screen.getByRole('button', { name: 'Settings of Group 1' }));
    const [one, two] = song().groups;
    choose('Group 1 lies in', two.id);
    expect(song().groups[0].parentId).toBe(two.id);
    fireEvent.click(screen.getByRole('button', { name: 'Solo Group 2' }));
    expect([...open.playback.store.getState().monitoring.solo].sort()).toEqual(['harp', 'hum']);
    fireEvent.click(screen.getByRole('button', { name: 'Dissolve Group 2' }));
    expect(song().groups).toMatchObject([{ id: one.id, parentId: null, partIds: ['harp'] }]);
    act(() => void open.session.undo());
    expect(song().groups[0].parentId).toBe(two.id);
  });

  test('a group has a low cut, a compressor and a stage of its own', () => {
    open.selectAllParts();
    choose(/^Group of/, 'new');
    fireEvent.click(screen.getByRole('button', { name: 'Settings of Group 1' }));
    const group = within(screen.getByRole('group', { name: 'Group 1' }));
    type(group.getByLabelText('Low cut'), '90');
    type(group.getByLabelText('Threshold'), '-20');
    type(group.getByLabelText('Ratio'), '4');
    type(group.getByLabelText('Band 2, gain'), '-3');
    type(group.getByLabelText('Width'), '80');
    type(group.getByLabelText('Low end in the middle below'), '140');
    const steps = open.session.store.getState().history.undo.map(({ name }) => name);
    expect(steps.at(-1)).toMatch(/^Group 1: low end in the middle below off → 140 Hz/i);
    expect(song().groups[0]).toMatchObject({
      preparation: { lowCutHz: 90, compressor: { thresholdDb: -20, ratio: 4 } },
      stage: { widthPercent: 80, lowHz: 140 },
    });
    expect(song().groups[0].preparation.bands[1].db).toBe(-3);
    fireEvent.click(group.getByRole('button', { name: 'Move its level' }));
    expect(song().moves).toMatchObject([{ target: { kind: 'group', parameter: 'levelDb' } }]);
    fireEvent.click(group.getByRole('button', { name: 'Leave its stage' }));
    expect(song().groups[0].stage).toEqual({ widthPercent: 100, tiltDb: 0, lowHz: null });
  });

  test('a part leaves its group by a choice, too', () => {
    choose(/^Group of/, 'new');
    expect(song().groups[0].partIds).toEqual(['harp']);
    choose(/^Group of/, 'none');
    expect(song().groups[0].partIds).toEqual([]);
  });

  test('is moved along the song by typing, by keys, and not before its beginning', () => {
    const at = () => song().parts.harp.takes[0].clips?.[0].atFrame ?? 0;
    const field = screen.getByLabelText('Move Harp by');
    type(field, '12.5 ms');
    expect(at()).toBe(600);
    const bar = screen.getByRole('button', { name: /^Harp begins at/ });
    fireEvent.keyDown(bar, { key: 'ArrowRight', altKey: true });
    fireEvent.keyDown(bar, { key: 'ArrowRight' });
    expect(at()).toBe(649);
    fireEvent.keyDown(bar, { key: 'ArrowLeft', shiftKey: true });
    expect(at()).toBe(169);
    type(field, '1/16');
    expect(at()).toBe(169);
    type(screen.getByLabelText('Tempo'), '100');
    type(field, '1/16');
    expect(at()).toBe(169 + 7200);
  });

  test('that is cut into clips is moved phrase by phrase, all of it by typing', () => {
    const clip = (fromFrame: number, toFrame: number, atFrame: number) => ({
      ...{ fromFrame, toFrame, atFrame },
      ...{ fadeInMs: 0, fadeOutMs: 0 },
    });
    const { id } = song().parts.harp.takes[0];
    // The second and the third lie over each other.
    const clips = [clip(0, 4800, 0), clip(4800, 9600, 9600), clip(9600, 12_000, 12_000)];
    act(
      () =>
        void open.do('cut', [{ kind: 'set-take', partId: 'harp', takeId: id, changes: { clips } }]),
    );
    const places = () => song().parts.harp.takes[0].clips?.map(({ atFrame }) => atFrame);
    const second = () => screen.getByRole('button', { name: /^Harp, phrase 2 begins at/ });
    expect(screen.getAllByRole('button', { name: /^Harp, phrase \d begins at/ })).toHaveLength(2);
    fireEvent.keyDown(second(), { key: 'ArrowRight' });
    fireEvent.keyDown(second(), { key: 'ArrowRight', altKey: true });
    expect(places()).toEqual([0, 9649, 12_049]);
    const first = screen.getByRole('button', { name: /^Harp, phrase 1/ });
    fireEvent.keyDown(first, { key: 'ArrowLeft' });
    expect(places()).toEqual([0, 9649, 12_049]);
    type(screen.getByLabelText('Move Harp by'), '1 ms');
    expect(places()).toEqual([48, 9697, 12_097]);
  });

  test('one phrase of it is chosen and moved by typing, as one step with its name; no earlier than the song', () => {
    const clip = (fromFrame: number, toFrame: number, atFrame: number) => ({
      ...{ fromFrame, toFrame, atFrame },
      ...{ fadeInMs: 0, fadeOutMs: 0 },
    });
    const { id } = song().parts.harp.takes[0];
    const clips = [clip(0, 4800, 0), clip(4800, 9600, 48_000)];
    act(
      () =>
        void open.do('cut', [{ kind: 'set-take', partId: 'harp', takeId: id, changes: { clips } }]),
    );
    const places = () => song().parts.harp.takes[0].clips?.map(({ atFrame }) => atFrame);
    const what = screen.getByLabelText('What of Harp is moved');
    expect([...what.querySelectorAll('option')].map(({ textContent }) => textContent)).toEqual([
      'all of it',
      'phrase 1, 0:00.0',
      'phrase 2, 0:01.0',
    ]);
    choose('What of Harp is moved', '1');
    type(screen.getByLabelText('Move phrase 2 of Harp by'), '-12 samples');
    expect(places()).toEqual([0, 47_988]);
    expect(open.session.store.getState().history.undo.at(-1)?.name).toBe(
      'Harp, phrase 2: moved −0.25 ms',
    );
    const steps = open.session.store.getState().history.undo.length;
    choose('What of Harp is moved', '0');
    type(screen.getByLabelText('Move phrase 1 of Harp by'), '-1 ms');
    expect(places()).toEqual([0, 47_988]);
    expect(open.session.store.getState().history.undo).toHaveLength(steps);
    choose('What of Harp is moved', 'all');
    type(screen.getByLabelText('Move Harp by'), '12 samples');
    expect(places()).toEqual([12, 48_000]);
  });
});

describe('a level that moves', () => {
  const move = () => song().moves[0]?.curve;

  test('gets points that are moved by keys and typed; the last one stays', () => {
    choose('Move Harp along the song', 'levelDb');
    const point = () => screen.getByRole('button', { name: /^Point of Harp/ });
    fireEvent.focus(point());
    fireEvent.keyDown(point(), { key: 'ArrowDown', shiftKey: true });
    fireEvent.keyDown(point(), { key: 'ArrowRight', shiftKey: true });
    expect(move()).toMatchObject({ points: [{ atS: 0.1, by: -5 }] });
    type(screen.getByLabelText('Level of the point'), '-8');
    choose('How it goes on', 'smooth');
    expect(move()).toMatchObject({ points: [{ atS: 0.1, by: -8, shape: 'smooth' }] });
    fireEvent.keyDown(point(), { key: 'Delete' });
    expect(move()).toMatchObject({ points: [{ by: -8 }] });
  });

  test('goes in a cycle, as many a second or a beat, and stands still again', () => {
    choose('Move Harp along the song', 'levelDb');
    choose('How the level of Harp moves', 'cycle');
    type(screen.getByLabelText('Rate of the cycle'), '5.5');
    choose('Unit of the rate', 'beats');
    type(screen.getByLabelText('Depth'), '12');
    choose('Shape of the cycle', 'triangle');
    expect(move()).toMatchObject({
      kind: 'cycle',
      rate: { value: 5.5, unit: 'beats' },
      depthDb: 12,
      shape: 'triangle',
    });
    fireEvent.click(screen.getByRole('button', { name: 'Let the level of Harp stand still' }));
    expect(song().moves).toEqual([]);
  });
});

test('the tempo is tapped and its bars have as many beats as are typed', () => {
  const tap = screen.getByRole('button', { name: 'Tap' });
  let now = 0;
  const clock = jest.spyOn(performance, 'now').mockImplementation(() => now);
  for (; now < 2400; now += now < 1000 ? 500 : 480) fireEvent.click(tap);
  clock.mockRestore();
  // All of it is one step.
  expect(open.session.store.getState().history.undo.map(({ name }) => name)).toEqual([
    expect.stringMatching(/^tempo 120\.0 → 12\d\.\d bpm$/),
  ]);
  type(screen.getByLabelText('Tempo'), '120');
  type(screen.getByLabelText('Beats in a bar'), '3');
  expect(song().tempo).toEqual([{ atS: 0, bpm: 120, beatsPerBar: 3 }]);
});

describe('a control that is held while it plays', () => {
  const fader = () => screen.getByLabelText('Write the level of Harp while it plays');
  type Seer = Parameters<OpenSong['playback']['onSeen']>[0];
  let see: (seconds: number, state?: string) => void;
  let stopped: boolean;

  beforeEach(() => {
    stopped = false;
    open.playback.onSeen = (seer: Seer) => {
      see = (seconds, state = 'playing') =>
        act(() => seer({ state, frame: Math.round(seconds * 48_000) } as Parameters<Seer>[0]));
      return () => (stopped = true);
    };
    choose('Move Harp along the song', 'levelDb');
  });
  const points = () => {
    const { curve } = song().moves[0];
    return curve.kind === 'points' ? curve.points.map(({ atS, by }) => [atS, by]) : [];
  };

  test('is written as few points, in one step', () => {
    act(() => open.playback.store.setState({ state: 'playing' }));
    const before = open.session.store.getState().history.undo.length;
    fireEvent.pointerDown(fader());
    for (let n = 0; n <= 60; n++) {
      fireEvent.input(fader(), { target: { value: String(n < 30 ? 30 / 36 : 18 / 36) } });
      see(4 + n / 60);
    }
    fireEvent.pointerUp(fader());
    expect(stopped).toBe(true);
    expect(open.session.store.getState().history.undo.length).toBe(before + 1);
    const written = points();
    expect(written.length).toBeLessThan(10);
    expect(written).toContainEqual([5, -12]);
    expect(written.filter(([, by]) => by === -12)).toHaveLength(2);
    // Back to what it was.
    expect(written.at(-1)?.[1]).toBe(0);
    expect(screen.getAllByRole('button', { name: /^Point of Harp at 0:05/ })).toHaveLength(2);
  });

  test('is kept as far as it went where the loop goes round, and says so where nothing plays', () => {
    fireEvent.pointerDown(fader());
    expect(stopped).toBe(false);
    expect(points()).toHaveLength(1);
    act(() => open.playback.store.setState({ state: 'playing' }));
    fireEvent.pointerDown(fader());
    fireEvent.input(fader(), { target: { value: String(24 / 36) } });
    see(2);
    see(2.5);
    see(1);
    expect(stopped).toBe(true);
    expect(points()).toContainEqual([2.5, -6]);
    fireEvent.pointerUp(fader());
  });

  test('is held no more once it is let go of, though the browser tells its last move at its end again', () => {
    act(() => open.playback.store.setState({ state: 'playing' }));
    fireEvent.pointerDown(fader());
    fireEvent.input(fader(), { target: { value: String(24 / 36) } });
    see(2);
    see(2.5);
    fireEvent.pointerUp(fader());
    const written = points();
    expect(written).toContainEqual([2.5, -6]);
    stopped = false;
    const seen = see;
    fireEvent.change(fader(), { target: { value: String(12 / 36) } });
    expect(see).toBe(seen);
    expect(points()).toEqual(written);
    expect(open.session.store.getState().shown).toBe(song());
  });

  test('what is in the loop is copied to the playhead', () => {
    act(() => open.playback.setLoop({ start: 0, end: 48_000 }, true));
    act(() => open.playback.store.setState({ frame: 5 * 48_000 }));
    fireEvent.click(screen.getByRole('button', { name: /^Copy what Harp does in the loop/ }));
    expect(points().map(([atS]) => atS)).toEqual([0, 4.996, 5, 6, 6.004]);
  });
});

describe('what becomes of a part in the loop', () => {
  /** Its dialog, opened if it is not there. */
  const press = (name: string) => {
    if (!screen.queryByRole('button', { name }))
      fireEvent.click(screen.getByRole('button', { name: 'In the loop …' }));
    fireEvent.click(screen.getByRole('button', { name }));
  };
  const loop = (from: number, to: number) =>
    act(() => open.playback.setLoop({ start: from * 48_000, end: to * 48_000 }, true));
  const points = () => {
    const { curve } = song().moves[0];
    return curve.kind === 'points' ? curve.points.map(({ atS, by }) => [atS, by]) : [];
  };

  test('flanks are thrown open, on the grid, and once more elsewhere', () => {
    press('flanks open');
    expect(song().moves).toEqual([]);
    type(screen.getByLabelText('Tempo'), '120');
    loop(1.1, 2.4);
    press('eighths');
    press('flanks open');
    expect(song().moves[0].target).toEqual(partTarget('harp', 'flanksDb'));
    expect(points()).toEqual([
      [0.992, -120],
      [1, 0],
      [2.5, 0],
      [2.508, -120],
    ]);
    loop(4, 5);
    press('as it is');
    press('flanks open');
    expect(points()).toHaveLength(8);
    const steps = () => open.session.store.getState().history.undo.length;
    const before = steps();
    press('flanks open');
    expect(steps()).toBe(before);
    expect(screen.getByRole('group', { name: 'Flanks of Harp along the song' })).toBeTruthy();
    fireEvent.click(screen.getByRole('button', { name: 'Let the flanks of Harp stand still' }));
    expect(song().moves).toEqual([]);
  });

  test('what goes in a cycle is not ended by it', () => {
    choose('Move Harp along the song', 'levelDb');
    choose(/^How the level of Harp moves/, 'cycle');
    loop(1, 2);
    press('muted');
    expect(song().moves[0].curve.kind).toBe('cycle');
  });

  test('sides change places as far as it is wide, with fades as long as they are typed', () => {
    act(
      () =>
        void open.do('narrower', [
          { kind: 'set-stage', partId: 'harp', changes: { widthPercent: 80 } },
        ]),
    );
    loop(2, 3);
    press('sixteenths');
    type(screen.getByLabelText('Fade'), '250');
    press('sides change places');
    expect(song().moves[0].target).toEqual(partTarget('harp', 'widthPercent'));
    expect(points()).toEqual([
      [1.75, 0],
      [2, -160],
      [3, -160],
      [3.25, 0],
    ]);
    expect(screen.getByRole('button', { name: /^Point of Harp at 0:02.00: −80 %/ })).toBeTruthy();
  });
});

describe('a voice along the song', () => {
  test('has a place that is said as what it comes to, and only where it has one between the sides', () => {
    const [first, second] = song().parts.harp.image.voices;
    const side = second.placement.kind === 'pan' ? second.placement.panPercent : Number.NaN;
    choose('Move Harp along the song', `${second.id}/panPercent`);
    const lane = within(screen.getByRole('group', { name: /^Place of Harp, .* along the song$/ }));
    fireEvent.focus(lane.getByRole('button', { name: /^Point of Harp/ }));
    type(lane.getByLabelText('Place of the point'), '-100');
    const { target, curve } = song().moves[0];
    expect(target).toEqual({
      kind: 'voice',
      id: 'harp',
      of: second.id,
      parameter: 'panPercent',
    });
    expect(curve).toMatchObject({ points: [{ by: -100 - side }] });
    expect(lane.getByRole('button', { name: /: L 100$/ })).toBeTruthy();
    act(
      () =>
        void open.do('mirrored', [
          {
            kind: 'set-voice',
            partId: 'harp',
            voiceId: second.id,
            changes: { placement: { kind: 'mirror' } },
          },
        ]),
    );
    // Its place waits until it has one again.
    expect(screen.queryByRole('group', { name: /^Place of Harp/ })).toBeNull();
    expect(
      screen.getByText(/^A move of place waits: .* has no place between the sides\.$/),
    ).toBeTruthy();
    const options = [...(screen.getByLabelText('Move Harp along the song') as HTMLSelectElement)];
    const values = options.map((option) => (option as HTMLOptionElement).value);
    expect(values).toContain(`${first.id}/levelDb`);
    expect(values).not.toContain(`${second.id}/panPercent`);
    act(
      () =>
        void open.do('without it', [
          {
            kind: 'set-image',
            partId: 'harp',
            image: { ...song().parts.harp.image, voices: [first] },
          },
        ]),
    );
    expect(screen.getByText('A move of place waits: its voice is gone.')).toBeTruthy();
    fireEvent.click(screen.getByRole('button', { name: /^Remove the move of place of Harp/ }));
    expect(song().moves).toEqual([]);
    expect(screen.queryByText(/waits/)).toBeNull();
  });
});

describe('a room', () => {
  const room = () => song().rooms[0];
  const lane = (name = 'Chamber') => within(screen.getByRole('region', { name }));

  test('is added, fed by what is selected, set and taken away, each step undone', () => {
    choose('Add a room', 'chamber');
    expect(room()).toMatchObject({ name: 'Chamber', kind: 'chamber', feeds: [] });
    act(() => void open.selectAllParts());
    choose(/^Feed a room/, room().id);
    choose(/^Feed a room/, room().id);
    expect(room().feeds.map(({ partId }) => partId)).toEqual(['harp', 'hum'].sort().reverse());
    fireEvent.click(lane().getByRole('button', { name: 'Settings of Chamber' }));
    type(lane().getByLabelText('Decay'), '2');
    type(lane().getByLabelText('High cut of the return'), 'off');
    expect(room()).toMatchObject({ decayS: 2, highCutHz: null });
    expect(screen.getByTestId('decays-Chamber').textContent).toMatch(/1 kHz in 1\.9\d s/);
    choose('What of Harp goes in', 'flanks');
    type(lane().getByLabelText('Feed of Harp'), '-6');
    fireEvent.click(lane().getAllByRole('checkbox')[0]);
    fireEvent.click(lane().getByRole('button', { name: 'Feed Chamber by Hum no more' }));
    expect(room().feeds).toMatchObject([{ partId: 'harp', from: 'flanks', levelDb: -6 }]);
    fireEvent.click(lane().getByRole('button', { name: 'Remove Chamber' }));
    expect(song().rooms).toEqual([]);
    act(() => void open.session.undo());
    expect(room().decayS).toBe(2);
  });

  test('is fed by another one and gives back into a group, for as long as those are there', () => {
    choose(/^Group of/, 'new');
    choose('Add a room', 'echo');
    choose('Add a room', 'spring');
    const [echo, spring] = song().rooms;
    const [{ id: groupId }] = song().groups;
    fireEvent.click(lane('Spring').getByRole('button', { name: 'Settings of Spring' }));
    choose('Feed Spring by another room', echo.id);
    type(lane('Spring').getByLabelText('Feed of Echo'), '-4');
    choose('Spring gives back into', groupId);
    expect(song().rooms[1]).toMatchObject({
      id: spring.id,
      fromRooms: [{ roomId: echo.id, levelDb: -4 }],
      groupId,
    });
    // What it goes into cannot go into it.
    fireEvent.click(lane('Echo').getByRole('button', { name: 'Settings of Echo' }));
    expect(screen.queryByLabelText('Feed Echo by another room')).toBeNull();
    fireEvent.click(screen.getByRole('button', { name: 'Dissolve Group 1' }));
    expect(song().rooms[1].groupId).toBeNull();
    fireEvent.click(lane('Echo').getByRole('button', { name: 'Remove Echo' }));
    expect(song().rooms).toMatchObject([{ name: 'Spring', fromRooms: [] }]);
    act(() => void open.session.undo());
    act(() => void open.session.undo());
    expect(song().rooms[1]).toMatchObject({ groupId, fromRooms: [{ roomId: echo.id }] });
  });

  test('its level and what feeds it are ridden, and go with it', () => {
    choose('Add a room', 'hall');
    choose(/^Feed a room/, room().id);
    fireEvent.click(lane('Hall').getByRole('button', { name: 'Settings of Hall' }));
    fireEvent.click(lane('Hall').getByRole('button', { name: /^Ride its level/ }));
    fireEvent.click(lane('Hall').getByRole('button', { name: /^Ride the feed of Harp/ }));
    expect(song().moves.map(({ target: { kind } }) => kind)).toEqual(['room', 'feed']);
    for (const name of [/^Level of Hall along/, /^Level of Harp into Hall along/])
      expect(lane('Hall').getByRole('group', { name })).toBeTruthy();
    fireEvent.click(lane('Hall').getByRole('button', { name: 'Remove Hall' }));
    expect([song().rooms, song().moves]).toEqual([[], []]);
    act(() => void open.session.undo());
    expect(song().moves).toHaveLength(2);
    expect(removalEdits(song(), 'harp').map(({ kind }) => kind)).toContain('set-moves');
  });

  test('a voice that feeds it and is gone is said, and nothing else', () => {
    choose('Add a room', 'plate');
    choose(/^Feed a room/, room().id);
    fireEvent.click(lane('Plate-like').getByRole('button', { name: 'Settings of Plate-like' }));
    const [, second] = song().parts.harp.image.voices;
    choose('What of Harp goes in', `voice/${second.id}`);
    expect(lane('Plate-like').getByText(`Harp, ${second.name}`)).toBeTruthy();
    const { image } = song().parts.harp;
    const fewer = { ...image, voices: image.voices.filter(({ id }) => id !== second.id) };
    act(() => void open.do('fewer', [{ kind: 'set-image', partId: 'harp', image: fewer }]));
    expect(lane('Plate-like').getByText('Harp, a voice that is gone')).toBeTruthy();
    expect(screen.getByLabelText<HTMLSelectElement>('What of Harp goes in').value).toBe(
      `voice/${second.id}`,
    );
  });

  test('ticks of a wheel, or a key that is held, are one step', () => {
    choose('Add a room', 'hall');
    fireEvent.click(lane('Hall').getByRole('button', { name: 'Settings of Hall' }));
    const steps = () => open.session.store.getState().history.undo.map(({ name }) => name);
    const before = steps().length;
    for (let n = 0; n < 4; n++)
      fireEvent.keyDown(lane('Hall').getByLabelText('Decay'), { key: 'ArrowUp' });
    expect(steps().slice(before)).toEqual(['Hall: decay 2.40 → 2.69 s']);
  });

  test('becomes another kind with its feeds and its level; two are named apart; there are eight at most', () => {
    choose('Add a room', 'hall');
    choose(/^Feed a room/, room().id);
    type(lane('Hall').getByLabelText('Level of Hall'), '-20');
    choose('Kind of Hall', 'ambience');
    expect(room()).toMatchObject({ kind: 'ambience', levelDb: -20, decayS: 0.35 });
    expect(room().feeds).toHaveLength(1);
    for (let n = 0; n < 9; n++) choose('Add a room', 'hall');
    expect(song().rooms.map(({ name }) => name)).toEqual([
      'Hall',
      'Hall 2',
      'Hall 3',
      'Hall 4',
      'Hall 5',
      'Hall 6',
      'Hall 7',
      'Hall 8',
    ]);
  });

  test('can be an echo: in ms or in beats, its sides at a ratio', () => {
    choose('Add a room', 'echo');
    fireEvent.click(lane('Echo').getByRole('button', { name: 'Settings of Echo' }));
    type(lane('Echo').getByLabelText('Time, left'), '100');
    type(lane('Echo').getByLabelText('Right against left'), '149');
    const times = () => screen.getByTestId('times-Echo').textContent;
    expect(times()).toBe('left after 100.0 ms, right after 149.0 ms');
    type(screen.getByLabelText('Tempo'), '100');
    type(lane('Echo').getByLabelText('In beats'), '0.75');
    expect(times()).toBe('left after 450.0 ms, right after 670.5 ms');
    const [first] = song().tempo ?? [];
    const faster = { atS: 8, bpm: 200, beatsPerBar: 4 };
    act(() => void open.do('faster', [{ kind: 'set-tempo', tempo: [first, faster] }]));
    expect(times()).toBe(
      'left after 225.0 to 450.0 ms, right after 335.3 to 670.5 ms, as the tempo goes',
    );
    act(() => void open.session.undo());
    type(lane('Echo').getByLabelText('Feedback'), '40');
    expect(room().echo).toMatchObject({ timeMs: 100, beats: 0.75, feedbackPercent: 40 });
    expect(open.session.store.getState().history.undo.at(-1)?.name).toBe(
      'Echo: feedback 35 → 40 %',
    );
  });

  test('a part that feeds one is removed in one step', () => {
    choose('Add a room', 'plate');
    choose(/^Feed a room/, room().id);
    act(() => void open.do('remove', removalEdits(song(), 'harp')));
    expect(room().feeds).toEqual([]);
    act(() => void open.session.undo());
    expect(room().feeds).toHaveLength(1);
  });
});
