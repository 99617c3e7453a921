import { joinFrames } from '../arrangement.ts';
import { mostShifts, type Align, type Anchor } from '../take.ts';
import type { Comparison, TakeToRead } from './line-up.ts';
import { thin, thinned } from './thin.ts';

const { abs, floor, max, min, round, sqrt } = Math;

/** A shift that differs by less is left: nobody hears it, and each splice might be. */
const leastMoveMs = 1;
/** So long after an onset nothing is spliced, and so long before the next one it is over. */
const attackMs = 40;
const readyMs = 3;
/** So far before an onset a soft place for the splice is looked for. */
const lookBackMs = 250;
const placesApartMs = 2;
/** A tone is spliced a whole number of its periods on: the shift may differ by so much for that. */
const giveMs = 2.5;
/** An onset so near to what is held by hand goes along with it. */
const heldMs = 60;
/** What it costs to be off by a millisecond, and to splice at the far end; where what is spliced costs 1 if it is as loud as the take. */
const offCost = 0.02;
const farCost = 0.02;

export type Path = NonNullable<Align['path']>;

/**
 * How a take is read to lie with its reference: from place to place shifted, its pitch untouched. Only what is sure is moved; between two sure
 * onsets it goes on as after the first one.
 * @param tightnessPercent 100: each sure onset where the reference has it; less: so much of the way there. The offset of the whole is
 * taken out at any tightness but 0, which leaves the take as it is
 * @param anchors what is held by hand is there to the frame, at any tightness and of alien takes, too
 * @returns null where there is nothing to move
 */
export async function pathFor(
  comparison: Comparison,
  take: TakeToRead,
  rateHz: number,
  tightnessPercent: number,
  anchors: readonly Anchor[] = [],
  tick: (share: number) => void = () => {},
): Promise<Path | null> {
  const inFrames = (ms: number) => round((ms * rateHz) / 1000);
  const join = joinFrames(rateHz);
  const found = tightnessPercent > 0 && comparison.alien === null;
  if (!found && anchors.length === 0) return null;
  const knots = withAnchors(
    found ? foundKnots(comparison, tightnessPercent) : [],
    anchors,
    inFrames(heldMs),
  );
  const level = await loudness(take);
  let shift = knots.length > 0 ? knots[0].shift : comparison.offset;
  const path = { at: [0], shift: [shift], alike: [1] };
  for (let n = 1; n < knots.length && path.at.length < mostShifts; n++) {
    const { place, shift: wanted, held } = knots[n];
    tick(n / knots.length);
    if (held ? wanted === shift : abs(wanted - shift) < inFrames(leastMoveMs)) continue;
    // What is held is heard before anything else is moved.
    const one = knots[n - 1];
    const before = max(path.at[path.at.length - 1] + join, one.held ? one.place - one.shift : 0);
    const onset = place - max(shift, wanted) - inFrames(readyMs) - join;
    // What is held is held, and if it is spliced right before it.
    const latest = held ? max(before + 1, onset) : onset;
    const earliest = max(one.place - shift + inFrames(attackMs), latest - inFrames(lookBackMs));
    if (latest <= before || latest < 0) continue;
    const found = await softest(take, {
      shift,
      wanted,
      from: max(before + 1, min(earliest, latest)),
      to: latest,
      join,
      give: held ? 0 : inFrames(giveMs),
      step: inFrames(placesApartMs),
      level: level * join,
      offFrames: inFrames(1),
    });
    path.at.push(found.at);
    path.shift.push(found.shift);
    path.alike.push(found.alike);
    shift = found.shift;
  }
  return path.at.length === 1 && shift === 0 ? null : path;
}

/** A place of the take, and by how much later it is read from there on. */
interface Knot {
  readonly place: number;
  readonly shift: number;
  readonly held: boolean;
}

function foundKnots({ onsets, offset }: Comparison, tightnessPercent: number): readonly Knot[] {
  return (
    onsets
      .filter(({ sure }) => sure)
      .map(({ at, late }) => ({
        place: round(at + late),
        shift: round(offset + (tightnessPercent / 100) * (late - offset)),
        held: false,
      }))
      // Of two that would change places the later one stays with the first.
      .filter(({ place }, n, all) => n === 0 || place > all[n - 1].place)
  );
}

/** What was found gives way to what is held: near it, and where it would be heard on its other side. */
function withAnchors(
  found: readonly Knot[],
  anchors: readonly Anchor[],
  nearFrames: number,
): readonly Knot[] {
  if (anchors.length === 0) return found;
  const fits = ({ place, shift }: Knot) =>
    anchors.every(
      (anchor) =>
        abs(place - anchor.place) > nearFrames &&
        place < anchor.place === place - shift < anchor.at,
    );
  const held = anchors.map(({ place, at }) => ({ place, shift: place - at, held: true }));
  return [...found.filter(fits), ...held].sort((a, b) => a.place - b.place);
}

/** Where something that is at `place` in a take is heard once it follows a path. */
export function placeOnPath({ at, shift }: Path, place: number): number {
  let last = 0;
  for (let n = 1; n < at.length; n++) if (at[n] + shift[n] <= place) last = n;
  return place - shift[last];
}

interface Search {
  readonly shift: number;
  readonly wanted: number;
  readonly from: number;
  readonly to: number;
  readonly join: number;
  readonly give: number;
  readonly step: number;
  /** Energy of as much of the take as is spliced, on the whole. */
  readonly level: number;
  readonly offFrames: number;
}

/** The place, and the shift near the wanted one, at which a splice is heard least. */
async function softest(
  { read }: TakeToRead,
  { shift, wanted, from, to, join, give, step, level, offFrames }: Search,
): Promise<{ readonly at: number; readonly shift: number; readonly alike: number }> {
  const wide = thinned * floor(give / thinned);
  const count = to - from + join;
  const now = thin(await read(from + shift, count));
  const next = thin(await read(from + wanted - wide, count + 2 * wide));
  const length = floor(join / thinned);
  const scale = thinned / max(1e-12, level * thinned * thinned);
  let best = { at: to, shift: wanted };
  let least = Infinity;
  for (let place = 0; place <= to - from; place += step) {
    const at = floor(place / thinned);
    const far = farCost * ((to - from - place) / max(1, to - from));
    for (let off = 0; off <= (2 * wide) / thinned; off++) {
      const away = (off * thinned - wide) / offFrames;
      const fixed = far + offCost * away * away;
      if (fixed >= least) continue;
      let difference = 0;
      for (let n = 0; n < length; n++) difference += (now[at + n] - next[at + off + n]) ** 2;
      const cost = difference * scale + fixed;
      if (cost >= least) continue;
      least = cost;
      best = { at: from + place, shift: wanted + off * thinned - wide };
    }
  }
  const one = await read(best.at + shift, join);
  const other = await read(best.at + best.shift, join);
  let [both, mine, theirs] = [0, 0, 0];
  for (let n = 0; n < join; n++) {
    both += one[n] * other[n];
    mine += one[n] * one[n];
    theirs += other[n] * other[n];
  }
  const alike = mine * theirs > 1e-20 ? both / sqrt(mine * theirs) : 1;
  return { ...best, alike: round(1000 * min(1, max(0, alike))) / 1000 };
}

const looks = 200;
const lookFrames = 2048;

/** Mean square of a take, from a look here and there. */
async function loudness({ read, frames }: TakeToRead): Promise<number> {
  let sum = 0;
  const each = max(lookFrames, floor(frames / looks));
  let count = 0;
  for (let at = 0; at < frames; at += each) {
    for (const value of await read(at, lookFrames)) sum += value * value;
    count += lookFrames;
  }
  return sum / max(1, count);
}
