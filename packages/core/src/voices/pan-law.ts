import { gain, type Gain } from '../quantities/units.ts';

/** Named by the level of the centre; the hard sides are at 0 dB in all of them. */
export const panLaws = ['-3', '-4.5', '-6', '0'] as const;
export type PanLaw = (typeof panLaws)[number];

export interface SideGains {
  readonly left: Gain;
  readonly right: Gain;
}

/**
 * Gains of a mono signal placed between L (−100) and R (100).
 *
 * −3: sine and cosine of (p+100)π/400, constant power. −6: linear, constant sum. −4.5: the root of the product of both.
 * 0: the near side stays, the far one falls. Common practice of mixing desks; the session's law must be the song's.
 */
export function panGains(panPercent: number, law: PanLaw): SideGains {
  if (panPercent === 0) {
    const centre = centreGain(law);
    return { left: centre, right: centre };
  }
  return { left: sideGain(-panPercent, law), right: sideGain(panPercent, law) };
}

/** What each side gets of a signal in the middle; also the gain of a mirrored voice. */
export function centreGain(law: PanLaw): Gain {
  return sideGain(0, law);
}

/** What one side gets. @param towards −100 (far side) to 100 (hard on this side) */
export function sideGain(towards: number, law: PanLaw): Gain {
  const linear = (100 + towards) / 200;
  // The hard ends are exact, so that a hard-panned voice leaves nothing on the other side.
  if (linear === 0 || linear === 1) return gain(linear);
  const power = Math.sin(((towards + 100) * Math.PI) / 400);
  switch (law) {
    case '-3':
      return gain(power);
    case '-4.5':
      return gain(Math.sqrt(power * linear));
    case '-6':
      return gain(linear);
    case '0':
      return gain(Math.min(1, 2 * linear));
  }
}
