import type { StereoReport } from '../measurement/report.ts';
import { figure, plural } from '../quantities/wording.ts';
import { recordingOf, type Part, type Song } from '../song/song.ts';
import { sourceOf, type Source } from '../song/fitting-recipes.ts';
import { delayInMs, type Voice } from '../voices/voice.ts';
import { findingsOf, type Finding } from './findings.ts';

/**
 * From this delay on a copy is heard as an echo of its own: some 5 to 10 ms for clicks, 30 to 50 ms for speech, more for
 * sustained music (Litovsky, Colburn, Yost, Guzman: The precedence effect, JASA 106 (1999), table I; from memory, rounded).
 */
export function echoThresholdMs({ family, facts }: Source): number {
  if (family === 'struck' || facts?.struck) return 12;
  if (family === 'bowed' || family === 'keys') return 50;
  if (family === 'voice') return 35;
  return 40;
}

/** A copy that lies further under the loudest voice is not heard apart: common practice. */
const heardWithinDb = 15;

/** What the source and the voices say before anything is measured: copies that are heard twice, takes that are clipped. */
export function sourceFindings(song: Song, part: Part): Finding[] {
  return [...echoes(song, part), ...clipping(song, part)];
}

/** All that is to be said of a part: what was measured, and what its source and voices say. */
export function findingsOfPart(report: StereoReport, song: Song, part: Part): Finding[] {
  const own = sourceFindings(song, part);
  const measured = findingsOf(report);
  if (own.length === 0 || report.loudnessLufs === null) return measured;
  return [...own, ...measured.filter(({ code }) => code !== 'nothing-wrong')];
}

function echoes(song: Song, part: Part): Finding[] {
  const rateHz = song.rateHz ?? 48_000;
  const source = sourceOf(song, part);
  const threshold = echoThresholdMs(source);
  const heard = part.image.voices.filter(({ muted }) => !muted);
  const loudest = Math.max(...heard.map(({ levelDb }) => levelDb));
  const voices = heard.filter(({ levelDb }) => levelDb > loudest - heardWithinDb);
  if (voices.length < 2) return [];
  const arrival = ({ delay, drift }: Voice) => delayInMs(delay, rateHz) + drift.rangeMs;
  const first = Math.min(...voices.map(({ delay }) => delayInMs(delay, rateHz)));
  const late = voices.reduce((latest, voice) =>
    arrival(voice) > arrival(latest) ? voice : latest,
  );
  const apart = arrival(late) - first;
  if (apart <= threshold) return [];
  const kind =
    source.family === 'struck' || source.facts?.struck ? 'a struck source' : 'this source';
  return [
    {
      code: 'echo',
      sentence: `“${late.name}” comes ${figure(apart, 1)} ms after the first voice: of ${kind} that is heard as an echo from some ${figure(threshold, 0)} ms on.`,
    },
  ];
}

function clipping(song: Song, part: Part): Finding[] {
  return part.takes.flatMap((take): Finding[] => {
    const { fileName, facts } = recordingOf(song, take);
    if (!facts || facts.clippedRuns === 0) return [];
    return [
      {
        code: 'clipped',
        sentence: `“${fileName}” is clipped ${plural(facts.clippedRuns, 'time')} as it was recorded: no image mends that.`,
      },
    ];
  });
}
