import { gainToDb } from '@pannet/core/quantities/units';
import { figure, plural } from '@pannet/core/quantities/wording';
import type { Recording } from '@pannet/core/song/song';
import { isReallyMono } from '@pannet/core/sources/facts';

/** What a recording is, in a line: “Mono, clean, sustained; peak −6.0 dBFS; 3 silent stretches.” */
export function factsSentence({ channels, facts }: Recording): string {
  if (!facts) return channels === 1 ? 'Mono.' : 'Stereo.';
  const width =
    channels === 1
      ? 'Mono'
      : isReallyMono(facts)
        ? `Stereo, but really mono (the sides differ by ${figure(-(facts.differenceDb ?? 0), 0)} dB)`
        : 'Really stereo';
  const says = [
    `${width}, ${facts.driven ? 'driven' : 'clean'}, ${facts.struck ? 'struck' : 'sustained'}`,
    facts.peak > 0 ? `peak ${figure(gainToDb(facts.peak), 1)} dBFS` : 'silent',
  ];
  if (facts.clippedRuns > 0) says.push(`clipped ${plural(facts.clippedRuns, 'time')}`);
  if (facts.notFinite > 0)
    says.push(`${plural(facts.notFinite, 'sample')} no numbers, taken for silence`);
  if (facts.silences.length > 0)
    says.push(plural(facts.silences.length, 'silent stretch', 'silent stretches'));
  return `${says.join('; ')}.`;
}
