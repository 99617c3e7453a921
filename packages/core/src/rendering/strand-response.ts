import { cabinetResponse, isRead } from '../amps/cabinet-response.ts';
import { bodySections } from '../amps/body.ts';
import { isMade, type MadeSource } from '../derived/made-source.ts';
import { sectionDb } from '../signal/filters.ts';
import type { Complex } from '../signal/long-fir.ts';
import { responseAt } from '../voices/response.ts';
import { toneSections } from '../voices/tone.ts';
import type { PcmSource } from '../sources/blocks.ts';
import type { PartPlan, StrandPlan } from './plan.ts';

/** By which ratio the frequencies of a strand are moved, spliced or made so. */
export function tunedRatio({ tuning, source }: StrandPlan): number {
  if (tuning) return tuning.splices.ratio;
  for (let made = source; isMade(made); made = made.from)
    if (made.step.kind === 'vocoded') return made.step.ratio;
  return 1;
}

/** The recorded impulse responses of a part that were not read here yet: until they are, nothing is foretold of them. */
export function unreadImpulses({ strands }: PartPlan): readonly PcmSource[] {
  const unread = new Map<string, PcmSource>();
  for (const strand of strands)
    for (let source = strand.source; isMade(source); source = source.from) {
      const { step } = source;
      if (step.kind === 'cabinet' && 'impulse' in step.cabinet && !isRead(step.cabinet.impulse))
        unread.set(step.cabinet.impulse.key, step.cabinet.impulse);
    }
  return [...unread.values()];
}

/** What tone, cabinet and responses do to a strand; nothing where it has none. The phase of a tone is small and left out, and drive is none. */
export function responseOf(
  strand: StrandPlan,
  rateHz: number,
): ((hz: number) => Complex) | undefined {
  const steps: MadeSource['step'][] = [];
  for (let source = strand.source; isMade(source); source = source.from) steps.push(source.step);
  const tones = steps.flatMap((step) =>
    step.kind === 'tone' ? toneSections(step.tone, rateHz, 1) : [],
  );
  const bodies = steps.flatMap((step) =>
    step.kind === 'body' ? bodySections(step.body, rateHz, 1) : [],
  );
  const responses = steps.flatMap((step) => (step.kind === 'response' ? [step.response] : []));
  const cabinets = steps.flatMap((step) =>
    step.kind === 'cabinet' ? [cabinetResponse(step.cabinet, rateHz)] : [],
  );
  if (tones.length + bodies.length + responses.length + cabinets.length === 0) return undefined;
  return (hz) => {
    const db = [...tones, ...bodies].reduce(
      (sum, section) => sum + sectionDb(section, hz, rateHz),
      0,
    );
    let { re, im } = { re: 10 ** (db / 20), im: 0 };
    for (const by of [
      ...responses.map((response) => responseAt(response, hz, rateHz)),
      ...cabinets.map((at) => at(hz)),
    ])
      [re, im] = [re * by.re - im * by.im, re * by.im + im * by.re];
    return { re, im };
  };
}
