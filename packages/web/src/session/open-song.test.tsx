import { afterEach, beforeEach, describe, expect, jest, test } from '@jest/globals';
import { act, fireEvent, render, screen, waitFor, within } from '@testing-library/react';
import { userEvent } from '@testing-library/user-event';
import { FoldColumn } from '../fold/FoldColumn.tsx';
import { recipes } from '@pannet/core/image/recipes';
import type { Edit } from '@pannet/core/song/edits/edit';
import { Boundary } from '../controls/Boundary.tsx';
import { CarryOverDialog } from '../image/CarryOverDialog.tsx';
import { StagePanel } from '../image/StagePanel.tsx';
import { RecipeList } from '../image/RecipeList.tsx';
import { TakePanel } from '../image/TakePanel.tsx';
import { VoiceTable } from '../image/VoiceTable.tsx';
import type { MeasureJob } from '../measuring/messages.ts';
import { SongSession } from '../sync/song-session.ts';
import type { SpliceJob } from '../playback/messages.ts';
import { FakeWorker } from '../testing/fake-worker.ts';
import { openTwoParts, showIn } from '../testing/show-song.tsx';
import { twoParts } from '../testing/song.fixture.ts';
import { BottomBar } from '../transport/BottomBar.tsx';
import { neutralImage } from '@pannet/core/image/image';
import { OpenSong } from './open-song.ts';
import { useSelectedPart } from './use-open-song.ts';

let open: OpenSong;

beforeEach(() => {
  open = openTwoParts('harp');
});
afterEach(() => open.close());

const song = () => open.session.store.getState().song;

function Table() {
  const part = useSelectedPart();
  return part ? <VoiceTable part={part} /> : null;
}
function Recipes() {
  const part = useSelectedPart();
  return part ? <RecipeList part={part} /> : null;
}

const show = (place: React.ReactNode) => showIn(open, place);

describe('an open song', () => {
  test('begins with the part that the address names, otherwise with the first that is wide, or the first', () => {
    expect(open.selection.getState().partId).toBe('harp');
    const other = new OpenSong(
      new SongSession('s', { song: twoParts(), revision: 0, log: [], earlier: null, may: 'own' }),
      'none',
    );
    expect(other.selection.getState().partId).toBe('harp');
    other.close();
    const song = twoParts();
    const plain = Object.fromEntries(
      Object.entries(song.parts).map(([id, part]) => [id, { ...part, image: neutralImage() }]),
    );
    const untouched = new OpenSong(
      new SongSession('s', {
        song: { ...song, parts: plain },
        revision: 0,
        log: [],
        earlier: null,
        may: 'own',
      }),
      undefined,
    );
    expect(untouched.selection.getState().partId).toBe('hum');
    untouched.close();
  });

  test('plain and image flip for all selected parts together', () => {
    open.selection.setState({ partIds: ['hum', 'harp'] });
    open.togglePlain();
    expect(open.playback.store.getState().monitoring.plain).toEqual({ hum: 1, harp: 1 });
    open.togglePlain();
    expect(open.playback.store.getState().monitoring.plain).toEqual({});
  });

  test('measuring makes room while sound is waited for', () => {
    const waits = jest.spyOn(open.analyst, 'setWaiting');
    open.playback.store.setState({ state: 'loading' });
    expect(waits).toHaveBeenLastCalledWith(true);
    open.playback.store.setState({ state: 'playing' });
    expect(waits).toHaveBeenLastCalledWith(false);
    open.playback.store.setState({ tuning: true });
    expect(waits).toHaveBeenLastCalledWith(true);
    open.playback.store.setState({ tuning: false });
    expect(waits).toHaveBeenLastCalledWith(false);
  });

  test('a part that goes is selected no more', () => {
    open.do('remove', [{ kind: 'remove-part', partId: 'harp' }]);
    expect(open.selection.getState()).toMatchObject({ partId: 'hum', partIds: ['hum'] });
    open.do('remove', [{ kind: 'remove-part', partId: 'hum' }]);
    expect(open.selection.getState().partId).toBeNull();
  });

  test('tuned voices are counted until their splices come', () => {
    expect(open.playback.store.getState().preparing).toBe(2);
    const splicer = FakeWorker.of('splices.worker.ts');
    const splices = { ratio: 1, crossfadeFrames: 1, starts: [0], positions: [0], likeness: [1] };
    const [job] = splicer.posted as SpliceJob[];
    expect(job.needs.map(({ ratio }) => ratio > 1)).toEqual([true, false]);
    // Round the playhead at first, which is heard but not all.
    for (const { key } of job.needs)
      splicer.answer({ kind: 'splices', key, splices: { ...splices, coarseTo: 200_000 } });
    expect(open.playback.store.getState().preparing).toBe(2);
    expect(open.playback.plan?.parts[1].strands.every(({ left, right }) => left || right)).toBe(
      true,
    );
    expect(open.playback.wholeSplices(song())).toEqual([]);
    for (const { key } of job.needs) splicer.answer({ kind: 'splices', key, splices });
    expect(open.playback.store.getState().preparing).toBe(0);
    expect(open.playback.wholeSplices(song()).map(([key]) => key)).toEqual(
      job.needs.map(({ key }) => key),
    );
    expect(splicer.posted).toHaveLength(1);
  });

  test('a coarse plan is asked for again where it plays on beyond it', () => {
    const splicer = FakeWorker.of('splices.worker.ts');
    const [{ needs }] = splicer.posted as SpliceJob[];
    const splices = { ratio: 1, crossfadeFrames: 1, starts: [0], positions: [0], likeness: [1] };
    for (const { key } of needs)
      splicer.answer({ kind: 'splices', key, splices: { ...splices, coarseTo: 200_000 } });
    open.playback.seek(10_000);
    expect(splicer.posted).toHaveLength(1);
    open.playback.seek(900_000);
    expect(splicer.posted.slice(1)).toEqual([expect.objectContaining({ frame: 900_000, needs })]);
  });
});

describe('the voice table', () => {
  test('shows every value with its unit, and takes what is typed', async () => {
    show(<Table />);
    const delay = screen.getByLabelText<HTMLInputElement>('Delay of left double');
    expect(delay.value).toBe('11.00');
    await userEvent.clear(delay);
    await userEvent.type(delay, '12.5{Enter}');
    expect(song().parts.harp.image.voices[1].delay).toEqual({ value: 12.5, unit: 'ms' });
    expect(open.session.store.getState().history.undo.at(-1)?.name).toBe(
      'left double: delay 11.0 → 12.5 ms',
    );
  });

  test('turns a delay into samples and back without moving it', async () => {
    show(<Table />);
    const unit = screen.getByLabelText('Unit of the delay of left double');
    await userEvent.selectOptions(unit, 'samples');
    expect(song().parts.harp.image.voices[1].delay).toEqual({ value: 528, unit: 'samples' });
    await userEvent.selectOptions(unit, 'ms');
    expect(song().parts.harp.image.voices[1].delay).toEqual({ value: 11, unit: 'ms' });
  });

  test('adds, duplicates, mutes, inverts, mirrors, removes and swaps sides', async () => {
    show(<Table />);
    await userEvent.click(screen.getByLabelText('Swap sides'));
    const pans = () =>
      song().parts.harp.image.voices.map(({ placement }) =>
        placement.kind === 'pan' ? placement.panPercent : 'mirror',
      );
    expect(pans()).toEqual([0, 100, -100]);
    expect(Object.is(pans()[0], 0)).toBe(true);
    await userEvent.click(screen.getByLabelText('Add voice'));
    await userEvent.click(screen.getByLabelText('Duplicate left double'));
    expect(song().parts.harp.image.voices.map(({ name }) => name)).toEqual([
      'anchor',
      'right double',
      'left double',
      'voice 4',
      'left',
    ]);
    await userEvent.click(screen.getByLabelText('Mute anchor'));
    await userEvent.click(screen.getByLabelText('Inverted polarity of anchor'));
    await userEvent.selectOptions(screen.getByLabelText('Placement of anchor'), 'mirror');
    expect(song().parts.harp.image.voices[0]).toMatchObject({
      muted: true,
      polarity: 'inverted',
      placement: { kind: 'mirror' },
    });
    await userEvent.click(screen.getByLabelText('Remove voice 4'));
    expect(song().parts.harp.image.voices).toHaveLength(4);
  });
});

test('a recipe goes to all selected parts as one step', async () => {
  open.selection.setState({ partIds: ['hum', 'harp'] });
  show(<Recipes />);
  await userEvent.click(screen.getByLabelText('Apply Mirrored'));
  expect(Object.values(song().parts).map((part) => part.image.voices.length)).toEqual([2, 2]);
  expect(open.session.store.getState().history.undo).toHaveLength(1);
  act(() => open.session.undo());
  expect(Object.values(song().parts).map((part) => part.image.voices.length)).toEqual([1, 3]);
});

test('each part that a recipe goes to is tuned as what it is, and so is a voice that is added', async () => {
  open.selection.setState({ partIds: ['hum', 'harp'] });
  show(<Recipes />);
  await userEvent.click(screen.getByLabelText('Apply Tuned doubles'));
  const kinds = () =>
    Object.values(song().parts).map(({ image }) => image.voices.at(-1)?.tuner.kind);
  expect(kinds()).toEqual(['single', 'chords']);
  show(<Table />);
  await userEvent.click(screen.getByLabelText('Add voice'));
  expect(song().parts.harp.image.voices).toHaveLength(4);
  expect(kinds()).toEqual(['single', 'chords']);
  // Said where it is chosen.
  await userEvent.click(screen.getByText('Tuner'));
  const choices = within(screen.getByLabelText('What the tuner of voice 4 is for'));
  expect(choices.getAllByRole('option').map(({ textContent }) => textContent)).toEqual([
    'single lines',
    'chords (fits)',
    'struck sounds',
    'pads',
  ]);
});

describe('drafts', () => {
  test('are kept under a number and taken up again, each as one step; what is changed is marked', async () => {
    show(<BottomBar drawer={false} onDrawer={() => {}} />);
    await userEvent.click(screen.getByLabelText('Keep as draft 1'));
    expect(song().parts.harp).toMatchObject({ draft: '1' });
    act(() => {
      open.do('louder', [
        { kind: 'set-voice', partId: 'harp', voiceId: 'v2', changes: { levelDb: -2 } },
      ]);
    });
    expect(screen.getByLabelText('Draft 1, changed')).toBeTruthy();
    await userEvent.click(screen.getByLabelText('Keep as draft 2'));
    await userEvent.click(screen.getByLabelText('Draft 1'));
    expect(song().parts.harp.image.voices[1].levelDb).toBe(-6);
    expect(song().parts.harp.draft).toBe('1');
    act(() => open.session.undo());
    expect(song().parts.harp.image.voices[1].levelDb).toBe(-2);
    expect(song().parts.harp.draft).toBe('2');
  });

  test('an empty number keeps what is there; Shift keeps it anew', () => {
    open.recallDraft('5');
    expect(Object.keys(song().parts.harp.drafts)).toEqual(['5']);
    open.do('quieter', [
      { kind: 'set-voice', partId: 'harp', voiceId: 'v2', changes: { levelDb: -20 } },
    ]);
    open.keepDraft('5');
    expect(song().parts.harp.drafts['5'].voices[1].levelDb).toBe(-20);
  });
});

describe('the stage', () => {
  function Stage() {
    const part = useSelectedPart();
    return part ? <StagePanel part={part} /> : null;
  }

  test('its drawing is worked from the keyboard', () => {
    show(<Stage />);
    const stage = () => song().parts.harp.image.stage;
    fireEvent.keyDown(screen.getByLabelText('Width in the drawing'), { key: 'ArrowUp' });
    expect(stage().widthPercent).toBe(102);
    fireEvent.keyDown(screen.getByLabelText('Tilt in the drawing'), {
      key: 'ArrowDown',
      shiftKey: true,
    });
    expect(stage().tiltDb).toBe(-5);
    fireEvent.wheel(screen.getByLabelText('Width in the drawing'), { deltaY: 5 });
    expect(stage().widthPercent).toBe(100);
  });

  test('offers a corner at which both halves meet, and says how they meet now', () => {
    open.do('late', [{ kind: 'set-image', partId: 'harp', image: recipes[0].image }]);
    open.do('held', [
      {
        kind: 'set-stage',
        partId: 'harp',
        changes: { lowMono: { hz: 120, kind: 'anchor' } },
      },
    ]);
    show(<Stage />);
    expect(screen.getByText(/meet/)).toBeTruthy();
  });
});

test('an image is carried over to other parts, mirrored, with its preparation', async () => {
  const compressor = { ...song().parts.harp.preparation.compressor, thresholdDb: -20 };
  open.do('prepared', [
    {
      kind: 'set-preparation',
      partId: 'harp',
      preparation: { ...song().parts.harp.preparation, compressor },
    },
  ]);
  open.do('meant', [{ kind: 'set-part', partId: 'harp', changes: { meant: ['leads'] } }]);
  show(<CarryOverDialog part={song().parts.harp} onClose={() => {}} />);
  await userEvent.click(screen.getByLabelText('Hum'));
  await userEvent.click(screen.getByLabelText(/Mirrored/));
  await userEvent.click(screen.getByLabelText('The image and the preparation of the take'));
  await userEvent.click(screen.getByText('Carry over to 1 part'));
  expect(song().parts.hum.image.voices.map(({ name }) => name)).toEqual([
    'anchor',
    'right double',
    'left double',
  ]);
  expect(song().parts.hum.preparation.compressor.thresholdDb).toBe(-20);
  expect(song().parts.hum.meant).toEqual(['leads']);
  act(() => open.session.undo());
  expect(song().parts.hum.image.voices).toHaveLength(1);
});

test('the bottom bar turns what is heard', async () => {
  show(<BottomBar drawer={false} onDrawer={() => {}} />);
  const hear = within(screen.getByRole('group', { name: 'Hear' }));
  for (const [name, listening] of [
    ['Fold', 'fold'],
    ['Difference', 'difference'],
    ['L', 'left'],
    ['R', 'right'],
    ['Stereo', 'stereo'],
  ] as const) {
    await userEvent.click(hear.getByText(name));
    expect(open.playback.store.getState().monitoring.listening).toBe(listening);
  }
  await userEvent.click(screen.getByText('Plain'));
  expect(open.playback.store.getState().monitoring.plain).toEqual({ harp: 1 });
  expect(screen.getByText(/measuring …/)).toBeTruthy();
  expect(screen.getByText('no bed')).toBeTruthy();
});

test('the fold column says that it is measuring before there are figures', () => {
  show(<FoldColumn />);
  expect(screen.getByTestId('verdict').textContent).toContain('Measuring …');
  expect(screen.getByTestId('figure-S/M').textContent).toBe('–');
  expect(screen.getByTestId('figure-Lead').textContent).toBe('0 ms');
});

test.each([
  ['stopped', 'Measuring was stopped.', 'measure'],
  ['failed', 'The measurement failed: out of reach', 'Try again'],
] as const)(
  'what was %s is said not to be measured, and is when it is asked for',
  async (kind, says, button) => {
    show(
      <>
        <FoldColumn />
        <BottomBar drawer={false} onDrawer={() => {}} />
      </>,
    );
    const worker = FakeWorker.of('measure.worker.ts');
    await waitFor(() => expect(worker.posted).toHaveLength(1));
    const { id } = worker.posted[0] as MeasureJob;
    if (kind === 'stopped') fireEvent.click(screen.getByRole('button', { name: 'stop' }));
    act(() => worker.answer({ kind, id, sentence: 'out of reach' }));
    expect(screen.getByTestId('verdict').textContent).toContain('Not measured');
    expect(screen.getByText('not matched', { exact: false })).toBeTruthy();
    expect(screen.getByText(says, { exact: false })).toBeTruthy();
    await userEvent.click(screen.getByRole('button', { name: button }));
    expect(screen.getByTestId('verdict').textContent).toContain('Measuring');
    expect(screen.queryByText(says, { exact: false })).toBeNull();
    // What is measured meanwhile makes room.
    const other = worker.posted.at(-1) as MeasureJob;
    expect(other.partId).toBe('hum');
    act(() => worker.answer({ kind: 'stopped', id: other.id }));
    expect((worker.posted.at(-1) as MeasureJob).partId).toBe('harp');
  },
);

describe('what is only tried is not kept under another name', () => {
  /** Mirrored is heard on Harp: two voices in the place of three, and nothing is kept of it. */
  function tryMirrored(more: readonly Edit[] = []) {
    open.playback.play = () => Promise.resolve();
    const edits: Edit[] = [{ kind: 'set-image', partId: 'harp', image: recipes[2].image }, ...more];
    act(() => open.audition.begin({ id: 'x', partId: 'harp', name: 'Harp: mirrored', edits }));
    const loudness = FakeWorker.of('loudness.worker.ts');
    const level = { lufs: -20, foldLufs: -20, truePeakDbtp: -20 };
    const { id } = loudness.posted.at(-1) as { id: number };
    act(() => loudness.answer({ kind: 'loudness', id, levels: [level, level] }));
    expect(open.session.store.getState().shown.parts.harp.image.voices).toHaveLength(2);
  }
  const kept = () => song().parts.harp.image.voices.map(({ name }) => name);
  const before = ['anchor', 'left double', 'right double'];

  test('by adding a voice, duplicating one, or swapping sides', async () => {
    show(<Table />);
    tryMirrored();
    await userEvent.click(screen.getByLabelText('Add voice'));
    expect(kept()).toEqual([...before, 'voice 4']);
    act(() => open.session.undo());
    tryMirrored();
    await userEvent.click(screen.getByLabelText('Swap sides'));
    expect(kept()).toEqual(['anchor', 'right double', 'left double']);
    expect(open.audition.store.getState().trial).toBeNull();
  });

  test('from the page of the take', async () => {
    function Take() {
      const part = useSelectedPart();
      return part ? <TakePanel part={part} /> : null;
    }
    show(<Take />);
    const { compressor } = song().parts.harp.preparation;
    tryMirrored([
      {
        kind: 'set-preparation',
        partId: 'harp',
        preparation: {
          ...song().parts.harp.preparation,
          compressor: { ...compressor, thresholdDb: -30 },
        },
      },
    ]);
    const cut = screen.getAllByLabelText('Low cut')[0];
    await userEvent.clear(cut);
    await userEvent.type(cut, '90{Enter}');
    expect(song().parts.harp.preparation).toMatchObject({
      lowCutHz: 90,
      compressor: { thresholdDb: null },
    });
  });

  test('by carrying over', async () => {
    tryMirrored();
    show(
      <CarryOverDialog part={open.session.store.getState().shown.parts.harp} onClose={() => {}} />,
    );
    await userEvent.click(screen.getByLabelText('Hum'));
    await userEvent.click(screen.getByText('Carry over to 1 part'));
    expect(song().parts.hum.image.voices.map(({ name }) => name)).toEqual(before);
  });

  test('in a group of values of which one is changed', () => {
    const voice = song().parts.harp.image.voices[1];
    const image = {
      ...song().parts.harp.image,
      voices: song().parts.harp.image.voices.map((one) => ({
        ...one,
        tuner: { ...one.tuner, cents: 33 },
      })),
    };
    open.playback.play = () => Promise.resolve();
    const edits: Edit[] = [{ kind: 'set-image', partId: 'harp', image }];
    act(() => open.audition.begin({ id: 'y', partId: 'harp', name: 'Harp: more', edits }));
    const loudness = FakeWorker.of('loudness.worker.ts');
    const level = { lufs: -20, foldLufs: -20, truePeakDbtp: -20 };
    act(() =>
      loudness.answer({
        kind: 'loudness',
        id: (loudness.posted.at(-1) as { id: number }).id,
        levels: [level, level],
      }),
    );
    const shown = open.session.store.getState().shown.parts.harp.image.voices[1];
    const changes = open.onKept('harp', shown, voice, {
      tuner: { ...shown.tuner, mixPercent: 40 },
    });
    expect(changes.tuner).toEqual({ ...voice.tuner, mixPercent: 40 });
  });
});

test('a place that breaks breaks alone, says so, and can be tried again', async () => {
  let broken = true;
  function Breaks() {
    if (broken) throw new Error('no such curve');
    return <p>drawn</p>;
  }
  const silent = console.error;
  console.error = () => {};
  render(
    <>
      <p>beside it</p>
      <Boundary what="The fold column">
        <Breaks />
      </Boundary>
    </>,
  );
  console.error = silent;
  expect(screen.getByText('beside it')).toBeTruthy();
  expect(screen.getByRole('alert').textContent).toMatch(
    /The fold column could not be drawn.*no such curve/,
  );
  broken = false;
  await userEvent.click(screen.getByText('Try again'));
  expect(screen.getByText('drawn')).toBeTruthy();
});
