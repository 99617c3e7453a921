import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { movedClip, splitClips, trimmedClip, wholeClip } from './clip-edits.ts';
import { takeDescription, type Clip } from './take.ts';

const frames = 10_000;
const clip: Clip = { fromFrame: 1000, toFrame: 5000, atFrame: 2000, fadeInMs: 3, fadeOutMs: 4 };

describe('a clip', () => {
  test('is moved, no farther than to the beginning', () => {
    expect(movedClip(clip, 1.6)).toEqual({ ...clip, atFrame: 2002 });
    expect(movedClip(clip, -9000)).toEqual({ ...clip, atFrame: 0 });
  });

  test('is trimmed at both ends, what it shows staying where it lies', () => {
    expect(trimmedClip(clip, 'start', 100, frames)).toEqual({
      ...clip,
      fromFrame: 1100,
      atFrame: 2100,
    });
    expect(trimmedClip(clip, 'start', -5000, frames)).toEqual({
      ...clip,
      fromFrame: 0,
      atFrame: 1000,
    });
    expect(trimmedClip(clip, 'end', 9000, frames)).toEqual({ ...clip, toFrame: frames });
    expect(trimmedClip(clip, 'end', -9000, frames).toFrame).toBe(1032);
    expect(trimmedClip({ ...clip, atFrame: 10 }, 'start', -500, frames)).toMatchObject({
      fromFrame: 990,
      atFrame: 0,
    });
  });

  test('is split where it lies, its outer fades kept; elsewhere nothing is', () => {
    expect(splitClips([clip], 3000)).toEqual([
      { ...clip, toFrame: 2000, fadeOutMs: 0 },
      { ...clip, fromFrame: 2000, atFrame: 3000, fadeInMs: 0 },
    ]);
    expect(splitClips([clip], 1999)).toBeNull();
    expect(splitClips([clip], 5990)).toBeNull();
    expect(splitClips([wholeClip(frames)], 5000)).toHaveLength(2);
  });
});

test('whatever is done to clips, they can be kept', () => {
  const take = (clips: readonly Clip[]) =>
    takeDescription.safeParse({
      id: 't1',
      name: 'take',
      recording: '0'.repeat(64),
      channel: 0,
      clips,
    });
  fc.assert(
    fc.property(
      fc.array(fc.tuple(fc.nat(3), fc.integer({ min: -20_000, max: 20_000 }), fc.nat(9)), {
        maxLength: 30,
      }),
      (steps) => {
        let clips: Clip[] = [wholeClip(frames)];
        for (const [what, by, which] of steps) {
          const n = which % clips.length;
          if (what === 0) clips = clips.with(n, movedClip(clips[n], by));
          else if (what === 1) clips = clips.with(n, trimmedClip(clips[n], 'start', by, frames));
          else if (what === 2) clips = clips.with(n, trimmedClip(clips[n], 'end', by, frames));
          else clips = splitClips(clips, Math.abs(by)) ?? clips;
          expect(take(clips).success).toBe(true);
        }
      },
    ),
  );
});
