import type { BandSides } from '../measurement/across-bands.ts';
import { figure } from '../quantities/wording.ts';

const { max, min, sqrt, abs } = Math;

/** Where a part lies, from L (−1) to R (1), in one third octave. */
export interface Reach {
  readonly hz: number;
  readonly from: number;
  readonly to: number;
  /** Power, linear, of a scale that all parts share. */
  readonly power: number;
}

/** What is known of a part beside its neighbours. */
export interface PlacedPart {
  readonly id: string;
  readonly name: string;
  readonly reaches: readonly Reach[];
  /** Above 0: L speaks first; null where nothing leads. */
  readonly leadMs: number | null;
  /** Of a room: what goes into it, which it may lie beside. */
  readonly fedBy?: readonly string[];
}

interface Fed {
  readonly id: string;
  readonly fedBy?: readonly string[];
}

/** Whether one of two rings by the other. */
export function belongTogether(a: Fed, b: Fed): boolean {
  return (a.fedBy?.includes(b.id) ?? false) || (b.fedBy?.includes(a.id) ?? false);
}

/** What lies so far under a part's strongest band is left out of its outline. */
const outlinedDb = 30;

/** The outline of a part up the frequencies: as wide as its difference is strong, round where its energy lies. */
export function reachesOf(bands: readonly BandSides[]): Reach[] {
  const strongest = max(...bands.map(({ levelDb }) => levelDb));
  return bands.flatMap(({ hz, place, sideToMidDb, levelDb }) => {
    if (place === null || sideToMidDb === null || levelDb < strongest - outlinedDb) return [];
    const ratio = 10 ** (sideToMidDb / 10);
    const spread = sqrt(ratio / (1 + ratio));
    return [
      {
        hz,
        from: max(-1, place - spread),
        to: min(1, place + spread),
        power: 10 ** (levelDb / 10),
      },
    ];
  });
}

/** The same part plain: all of it in the middle. */
export function plainReaches(reaches: readonly Reach[]): Reach[] {
  return reaches.map((reach) => ({ ...reach, from: 0, to: 0 }));
}

export interface Crowding {
  readonly code: 'shared' | 'far-side' | 'same-lead';
  readonly partIds: readonly string[];
  readonly sentence: string;
  /** How much, 0 to 1; graver ones are larger. */
  readonly share: number;
}

/** Two parts that have this much of the softer one in one place and band are in each other's way: common practice. */
export const crowdedShare = 0.35;
/** From here on a place is far out. */
const farPlace = 0.6;
/** So many parts far out on one side are a crowd. */
export const crowdOfParts = 3;
/** With this much of it far out a part reaches there. */
export const farEnough = 0.25;
const noticedLeadMs = 1;

const lineWidth = 0.05;

/** Which parts share place and band, which crowd a far side, which neighbours lead the same way. Graver ones first. */
export function crowdingOf(parts: readonly PlacedPart[]): Crowding[] {
  return [...shared(parts), ...farSides(parts), ...sameLeads(parts)].sort(
    (a, b) => b.share - a.share,
  );
}

/** What of the softer part lies where the other one does, band by band; 0 to 1. */
export function sharedShare(a: PlacedPart, b: PlacedPart): { share: number; hz: number } {
  const total = (part: PlacedPart) => part.reaches.reduce((sum, { power }) => sum + power, 0);
  const least = min(total(a), total(b));
  let sum = 0;
  let most = 0;
  let hz = 0;
  for (const one of a.reaches) {
    const other = b.reaches.find((reach) => reach.hz === one.hz);
    if (!other) continue;
    // A part in the middle is a line there: it is as wide as a line.
    const width = (reach: Reach) => max(lineWidth, reach.to - reach.from);
    const overlap = min(one.to, other.to) - max(one.from, other.from) + lineWidth;
    const shares = max(0, min(1, overlap / max(width(one), width(other))));
    const power = shares * min(one.power, other.power);
    sum += power;
    if (power > most) {
      most = power;
      ({ hz } = one);
    }
  }
  return { share: least > 0 ? min(1, sum / least) : 0, hz };
}

function shared(parts: readonly PlacedPart[]): Crowding[] {
  const found: Crowding[] = [];
  for (const [n, a] of parts.entries())
    for (const b of parts.slice(n + 1)) {
      if (belongTogether(a, b)) continue;
      const { share, hz } = sharedShare(a, b);
      if (share < crowdedShare) continue;
      found.push({
        code: 'shared',
        partIds: [a.id, b.id],
        share,
        sentence: `${a.name} and ${b.name} share place and band: ${figure(100 * share, 0)} % of the softer one lies where the other does, most of it round ${figure(hz, 0)} Hz.`,
      });
    }
  return found;
}

/** What share of a part lies far out on one side: its bands by how much of them reaches there. */
export function farShare({ reaches }: PlacedPart, side: 'L' | 'R'): number {
  let far = 0;
  let total = 0;
  for (const { from, to, power } of reaches) {
    total += power;
    const out = side === 'L' ? -farPlace - from : to - farPlace;
    far += power * max(0, min(1, out / (1 - farPlace)));
  }
  return total > 0 ? far / total : 0;
}

function farSides(parts: readonly PlacedPart[]): Crowding[] {
  return (['L', 'R'] as const).flatMap((side) => {
    const out = parts.filter((part) => farShare(part, side) >= farEnough);
    if (out.length < crowdOfParts) return [];
    return [
      {
        code: 'far-side' as const,
        partIds: out.map(({ id }) => id),
        share: min(1, out.length / parts.length),
        sentence: `The far ${side === 'L' ? 'left' : 'right'} is crowded: ${listed(out.map(({ name }) => name))} reach there.`,
      },
    ];
  });
}

function sameLeads(parts: readonly PlacedPart[]): Crowding[] {
  const found: Crowding[] = [];
  for (const [n, part] of parts.entries()) {
    const next = parts.at(n + 1);
    if (!next || part.leadMs === null || next.leadMs === null) continue;
    const least = min(abs(part.leadMs), abs(next.leadMs));
    if (least < noticedLeadMs || part.leadMs > 0 !== next.leadMs > 0) continue;
    const side = part.leadMs > 0 ? 'left' : 'right';
    found.push({
      code: 'same-lead',
      partIds: [part.id, next.id],
      share: min(1, least / 40),
      sentence: `${part.name} and ${next.name} both lead to the ${side}, by ${figure(abs(part.leadMs), 1)} and ${figure(abs(next.leadMs), 1)} ms: turn one of them round.`,
    });
  }
  return found;
}

export function listed(names: readonly string[]): string {
  return names.length < 2
    ? names.join('')
    : `${names.slice(0, -1).join(', ')} and ${names[names.length - 1]}`;
}
