import type { Image } from '../image/image.ts';
import type { StereoReport } from '../measurement/report.ts';
import { holds, type Verdict } from '../measurement/fold.ts';
import { seededRandom } from '../signal/random.ts';
import { costsElsewhere, widthKeptDb } from './find-mend.ts';
import { changesInWords, variation, type MayChange } from './variations.ts';

const { abs, max } = Math;

/** One setting that was rendered and measured. */
export interface Setting {
  readonly image: Image;
  /** What differs from where the search began. */
  readonly words: string;
  readonly sideToMidDb: number;
  readonly dropLu: number;
  readonly dipDb: number;
  readonly verdict: Verdict;
  /** Whether S/M is within 1 dB of where it began, and no lean, lead or deeper dip came of it. */
  readonly widthKept: boolean;
}

export interface Search {
  readonly begun: Setting;
  /** All others, in the order in which they were tried. */
  readonly tried: readonly Setting[];
  /** The one that folds best of those that keep the width; where it began if none is better. */
  readonly best: Setting;
  readonly share: number;
}

/** So many settings are tried, in rounds; each round goes on from the best few of those before. */
const rounds = 6;
const eachRound = 16;
const parents = 4;
/** The first round looks far, the last one near. */
const reaches = [1, 0.8, 0.6, 0.4, 0.25, 0.15];

/** How far a setting is from holding: 1 is the edge of “holds”, where both count a little besides the worse of them. */
export function foldStrain({ dropLu, dipDb }: Pick<Setting, 'dropLu' | 'dipDb'>): number {
  const drop = dropLu / holds.dropLu;
  const dip = dipDb / holds.dipDb;
  return max(drop, dip) + 0.1 * (drop + dip);
}

/**
 * Looks for a setting that folds better and is as wide: changes what may be changed, renders, measures, and goes on from the
 * best. Yields what is known after each measurement; stop by no longer asking. The same seed tries the same settings.
 *
 * @param measure renders and measures an image; as many as `atOnce` are asked for together
 */
export async function* findSafer(
  image: Image,
  may: MayChange,
  rateHz: number,
  seed: number,
  measure: (image: Image) => Promise<StereoReport>,
  atOnce = 1,
): AsyncGenerator<Search> {
  const first = await measure(image);
  const begun = settingOf(image, image, first, null, rateHz);
  if (!begun) return;
  const random = seededRandom(seed);
  const tried: Setting[] = [];
  const known = new Set([JSON.stringify(image)]);
  let best = begun;
  const total = rounds * eachRound;
  const state = (): Search => ({ begun, tried: [...tried], best, share: tried.length / total });
  yield state();
  let left = total;
  for (let round = 0; round < rounds; round++) {
    const kept = [begun, ...tried.filter(({ widthKept }) => widthKept)]
      .sort((a, b) => foldStrain(a) - foldStrain(b))
      .slice(0, parents);
    const images: Image[] = [];
    // Where little may be changed there is soon nothing new to try.
    for (let look = 0; images.length < eachRound && look < 20 * eachRound; look++) {
      const parent = kept[look % kept.length];
      const next = variation(parent.image, may, rateHz, reaches[round], random);
      const key = JSON.stringify(next);
      if (known.has(key)) continue;
      known.add(key);
      images.push(next);
    }
    if (images.length === 0) break;
    for (let at = 0; at < images.length; at += atOnce) {
      const batch = images.slice(at, at + atOnce);
      const reports = await Promise.all(batch.map(measure));
      for (const [n, report] of reports.entries()) {
        left--;
        const setting = settingOf(image, batch[n], report, first, rateHz);
        if (!setting) continue;
        tried.push(setting);
        if (setting.widthKept && foldStrain(setting) < foldStrain(best)) best = setting;
      }
      yield { ...state(), share: 1 - left / total };
    }
  }
  yield { ...state(), share: 1 };
}

function settingOf(
  first: Image,
  image: Image,
  report: StereoReport,
  begun: StereoReport | null,
  rateHz: number,
): Setting | null {
  const { sideToMidDb, fold } = report;
  if (sideToMidDb === null || fold.dropLu === null || fold.verdict === null) return null;
  return {
    image,
    words: changesInWords(first, image, rateHz),
    sideToMidDb,
    dropLu: fold.dropLu,
    dipDb: fold.deepestDipDb ?? 0,
    verdict: fold.verdict,
    widthKept:
      !begun ||
      (abs(sideToMidDb - (begun.sideToMidDb ?? 0)) <= widthKeptDb &&
        !costsElsewhere(null, begun, report)),
  };
}
