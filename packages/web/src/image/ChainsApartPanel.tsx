import {
  linedUpChains,
  type ChainFigures,
  type ChainsApart,
  type VoiceChange,
} from '@pannet/core/findings/chains';
import { figure, signedFigure } from '@pannet/core/quantities/wording';
import type { Edit } from '@pannet/core/song/edits/edit';
import { partFrames, type Move, type Part } from '@pannet/core/song/song';
import type { Voice } from '@pannet/core/voices/voice';
import { lazy, Suspense, useEffect, useRef, useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useStore } from 'zustand';
import { Progress } from '../controls/Progress.tsx';
import { say } from '../controls/notices.ts';
import { comparingChains, eveningChains } from '../measuring/chains-question.ts';
import { useOpenSong, usePlayback, useRate, useSession } from '../session/use-open-song.ts';
import { ask, wasStopped } from '../workers/ask.ts';

const ChainPhaseChart = lazy(() =>
  import('./ChainPhaseChart.tsx').then(({ ChainPhaseChart: chart }) => ({ default: chart })),
);

interface Props {
  readonly part: Part;
  readonly first: Voice;
  readonly second: Voice;
}

/** Chains are set beside each other over the loop, or over so much in the middle of the part. */
const stretchSeconds = 8;
/** So long after the last change they are measured. */
const restMs = 400;
/** From here on one is said to be clean beside a driven one, in dB of drive. */
const unlikeDriveDb = 24;

const trials = { even: 'even-out', lineUp: 'line-up-chains', middle: 'chains-middle' };

/** How two chains differ, and what makes them even and brings them into time: heard before it is kept. */
export function ChainsApartPanel({ part, first, second }: Props) {
  const open = useOpenSong();
  const rateHz = useRate();
  const loop = usePlayback(({ looping, loop: marked }) => (looping ? marked : null));
  const shown = useSession((state) => state.shown);
  const trial = useStore(open.audition.store, (state) => state.trial);
  const [apart, setApart] = useState<{ of: string; figures: ChainsApart } | null>(null);
  const [share, setShare] = useState<number | null>(null);
  const evening = useRef<AbortController | null>(null);
  const frames = partFrames(shown, part);
  const length = Math.min(frames, stretchSeconds * rateHz);
  const from = loop ? Math.min(loop.start, frames) : Math.floor((frames - length) / 2);
  const to = loop ? Math.min(loop.end, frames) : from + length;
  const { stage, drive } = part.image;
  const moves = shown.moves.filter(
    ({ target }) =>
      target.kind === 'voice' &&
      target.id === part.id &&
      [first.id, second.id].includes(target.of ?? ''),
  );
  const of = JSON.stringify([
    first,
    second,
    part.takes,
    part.preparation,
    stage,
    drive ?? null,
    moves,
    moves.length > 0 ? shown.tempo : null,
    from,
    to,
  ]);
  /** Figures of another state are none. */
  const current = apart?.of === of ? apart.figures : null;
  const latest = useRef(of);
  useEffect(() => {
    latest.current = of;
  });
  const voiceIds = [first.id, second.id] as const;
  const request = (what: 'compare' | 'even') => {
    const { shown: song } = open.session.store.getState();
    const splices = open.playback.wholeSplices(song, [part.id]);
    return { what, song, partId: part.id, voices: voiceIds, from, to, splices };
  };
  useEffect(() => {
    const stop = new AbortController();
    const timer = setTimeout(() => {
      if (to <= from) return;
      ask(comparingChains, request('compare'), { signal: stop.signal })
        .then((figures) => setApart({ of, figures }))
        .catch((error: unknown) => {
          if (!wasStopped(error)) say(error instanceof Error ? error.message : String(error));
        });
    }, restMs);
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
    // All that is measured is in the key.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [of]);
  useEffect(() => () => evening.current?.abort(), []);

  const editsOf = (changes: readonly VoiceChange[]): Edit[] =>
    changes.map(({ voiceId, changes: changed }) => ({
      kind: 'set-voice',
      partId: part.id,
      voiceId,
      changes: changed,
    }));
  const attempt = (id: string, name: string, changes: readonly VoiceChange[]) => {
    if (changes.length === 0) say('They are so already: there is nothing to change.');
    else open.audition.begin({ id, partId: part.id, name, edits: editsOf(changes) });
  };
  const even = async () => {
    const stop = new AbortController();
    evening.current = stop;
    const asked = of;
    setShare(0);
    try {
      const evened = await ask(eveningChains, request('even'), {
        signal: stop.signal,
        progress: setShare,
      });
      if (!evened.ok) say(evened.error.sentence);
      else if (latest.current !== asked)
        say('The chains were changed meanwhile: make them even once more.');
      else {
        if (evened.value.short) say(evened.value.short);
        attempt(trials.even, `${part.name}: chains even`, evened.value.changes);
      }
    } catch (error) {
      if (!wasStopped(error)) say(error instanceof Error ? error.message : String(error));
    } finally {
      setShare(null);
    }
  };
  const lineUp = () => {
    if (!current?.offset) {
      say('One of the two is silent here: there is nothing to line up.');
      return;
    }
    attempt(
      trials.lineUp,
      `${part.name}: chains lined up`,
      linedUpChains(first, second, current.offset, rateHz),
    );
  };
  /** As they are kept: what is only tried is not kept under another name. */
  const swap = () => {
    const voices = open.keptPart(part.id)?.image.voices ?? [];
    const amps = voiceIds.map((id) => voices.find((voice) => voice.id === id)?.amp ?? null);
    const changes = voiceIds.map((voiceId, n) => ({ voiceId, changes: { amp: amps[1 - n] } }));
    open.do(`${part.name}: chains swapped`, editsOf(changes));
  };
  const tried =
    trial?.partId === part.id && Object.values(trials).includes(trial.id) ? trial : null;
  return (
    <section className="chains-apart" aria-label="How the chains differ">
      <dl>
        {rowsOf(current, rateHz).map(([name, text]) => (
          <div key={name}>
            <dt>{name}</dt>
            <dd className="mono">{text}</dd>
          </div>
        ))}
      </dl>
      {[...truths(part, first, second), ...movingTruths(moves, loop !== null)].map((sentence) => (
        <p key={sentence} className="small m-0" role="note">
          {sentence}
        </p>
      ))}
      {share !== null ? (
        <div className="d-flex align-items-center gap-1">
          <Progress share={share} label="Making the chains even" className="flex-grow-1" />
          <Button size="sm" variant="outline-primary" onClick={() => evening.current?.abort()}>
            Stop
          </Button>
        </div>
      ) : tried ? (
        <div className="d-flex gap-1">
          <Button size="sm" onClick={() => open.do(tried.name, tried.edits)}>
            Keep
          </Button>
          <Button size="sm" variant="outline-primary" onClick={() => open.audition.drop()}>
            Drop
          </Button>
        </div>
      ) : (
        <div className="d-flex gap-1 flex-wrap">
          <Button
            size="sm"
            variant="outline-primary"
            title="As loud and as squashed as each other, by drive and output; heard before it is kept"
            onClick={() => void even()}
          >
            Even out
          </Button>
          <Button
            size="sm"
            variant="outline-primary"
            title="Delay and polarity that give the fold its most; heard before it is kept"
            disabled={!current}
            onClick={lineUp}
          >
            Line up
          </Button>
          <Button
            size="sm"
            variant="outline-primary"
            title="Each takes the other one’s chain"
            disabled={!first.amp && !second.amp}
            onClick={swap}
          >
            Swap
          </Button>
          {unlikeDrives(first, second) && (
            <Button
              size="sm"
              variant="outline-primary"
              title="Both chains in the middle, together; heard before it is kept"
              onClick={() =>
                attempt(
                  trials.middle,
                  `${part.name}: both chains in the middle`,
                  [first, second].map(({ id }) => ({
                    voiceId: id,
                    changes: { placement: { kind: 'pan', panPercent: 0 } },
                  })),
                )
              }
            >
              Middle
            </Button>
          )}
        </div>
      )}
      {current && current.phase.length > 0 && (
        <Suspense fallback={null}>
          <ChainPhaseChart rows={current.phase} />
        </Suspense>
      )}
    </section>
  );
}

function rowsOf(apart: ChainsApart | null, rateHz: number): readonly (readonly [string, string])[] {
  const both = (key: keyof ChainFigures, unit: string): string => {
    const [one, other] = [apart?.first[key] ?? null, apart?.second[key] ?? null];
    return one === null || other === null ? '–' : `${signedFigure(other - one, 1)} ${unit}`;
  };
  const offset = apart?.offset ?? null;
  const ms = offset && (offset.frames * 1000) / rateHz;
  return [
    ['Loudness', both('lufs', 'LU')],
    ['Crest', both('crestDb', 'dB')],
    ['Fall', both('fallDb', 'dB')],
    [
      'Offset',
      offset && ms !== null
        ? `${signedFigure(ms, 2)} ms · ${signedFigure(offset.frames, 1)} smp`
        : '–',
    ],
    ['Polarity', offset ? (offset.polarity === 'normal' ? 'alike' : 'opposite') : '–'],
    ['Likeness', offset ? figure(offset.likeness, 2) : '–'],
  ];
}

/** Whether one is next to clean and the other well driven. */
function unlikeDrives(first: Voice, second: Voice): boolean {
  const [one, other] = [first, second].map(({ amp }) => amp?.driveDb ?? 0);
  return (first.amp !== null || second.amp !== null) && Math.abs(one - other) >= unlikeDriveDb;
}

/** What of the chains' figures holds only where they were measured. */
function movingTruths(moves: readonly Move[], looped: boolean): readonly string[] {
  if (!moves.some(({ target }) => target.parameter === 'driveDb')) return [];
  return [
    `A drive moves along the song: these figures are of ${looped ? 'the loop' : `the ${stretchSeconds} seconds in its middle`}.`,
  ];
}

/** What is so whatever it measures. */
function truths(part: Part, first: Voice, second: Voice): readonly string[] {
  if (first.take !== second.take) return [];
  const plainOf = ({ amp, delay, tuner, drift, colour, tone, worn, polarity, levelDb }: Voice) =>
    JSON.stringify({ amp, delay, tuner, drift, colour, tone, worn, polarity, levelDb });
  // A grain is each voice's own.
  if (plainOf(first) === plainOf(second) && first.worn.grainDb === null)
    return ['Both chains are equal: panned out it is still mono, only louder.'];
  if (!first.amp && !second.amp) return [];
  return [
    unlikeDrives(first, second)
      ? 'A clean side beside a driven one jumps out on loud chords: even them out, or put both in the middle.'
      : part.takes.length > 1
        ? 'Two chains on one take are a copy, not a double: another take is there.'
        : 'Two chains on one take are a copy of one performance, not a double.',
  ];
}
