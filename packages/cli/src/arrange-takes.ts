import { makingLoader } from '@pannet/core/derived/making';
import { arrangedSource } from '@pannet/core/derived/take-source';
import { clipsOf, type ImageFile } from '@pannet/core/image/image-file';
import { failure, success, type Outcome } from '@pannet/core/outcome';
import { framesReader, type BlockLoader, type PcmSource } from '@pannet/core/sources/blocks';
import { lineUp, type TakeToRead } from '@pannet/core/takes/line-up/line-up';
import type { Take } from '@pannet/core/takes/take';
import type { OpenedTake } from './takes.ts';

type Arranged = Pick<Take, 'clips' | 'align'>;

/** Takes as the file has them cut and lined up, those that they name called t1, t2 …; as they are where it says nothing. */
export async function arrangeTakes(
  described: ImageFile['takes'],
  raw: readonly PcmSource[],
  takes: readonly OpenedTake[],
  rateHz: number,
  load: BlockLoader,
  say: (line: string) => void,
): Promise<Outcome<Arranged[]>> {
  if (described.length > raw.length)
    return failure(
      'too-many-takes',
      `The image describes ${described.length} takes; ${raw.length} were given.`,
      'takes',
    );
  const arranged = raw.map((_, n): Arranged => {
    const clips = described.at(n)?.clips ?? null;
    return { clips: clips && clipsOf(clips, rateHz), align: null };
  });
  const made = makingLoader(load);
  const toRead = (n: number): TakeToRead => {
    const source = arrangedSource(raw[n], { clips: arranged[n].clips, align: null }, rateHz);
    return { read: framesReader(source, made), frames: source.frames };
  };
  for (const [n, take] of described.entries()) {
    if (!take.align) continue;
    const { to, tightnessPercent } = take.align;
    if (to > raw.length || to === n + 1)
      return failure(
        'no-reference',
        `A take is brought into time with another one, 1 to ${raw.length}; take ${n + 1} names ${to}.`,
        `takes[${n}].align.to`,
      );
    const { comparison, align } = await lineUp(toRead(to - 1), toRead(n), rateHz, tightnessPercent);
    if (comparison.alien !== null) say(`“${takes[n].name}”: ${comparison.alien}`);
    arranged[n] = { ...arranged[n], align: { to: `t${to}`, ...align } };
  }
  return success(arranged);
}
