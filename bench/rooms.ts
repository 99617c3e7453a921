import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { wavFile } from '@pannet/core/formats/wav-write';
import { ringingOf } from '@pannet/core/rooms/ringing';
import { roomResponse } from '@pannet/core/rooms/made-response';
import { roomKinds } from '@pannet/core/rooms/room';
import { startingRoom } from '@pannet/core/rooms/starting';
import { rateHz, type Material } from './material.ts';
import { commandSeconds, median, ownSeconds, row } from './timing.ts';

const seconds = 60;
const quantum = 128;

/** What each kind of room costs while it plays, beside a convolution with as long an impulse response by ffmpeg. */
export async function roomSpeed({ mono, folder }: Material): Promise<void> {
  const left = Float64Array.from(mono.subarray(0, seconds * rateHz));
  const right = left.map((value, n) => (n > 480 ? left[n - 480] : value));
  const pair = () => [new Float64Array(quantum), new Float64Array(quantum)] as const;
  const [early, late] = [pair(), pair()];
  // As long as the hall takes to fall by 60 dB.
  const { decayS } = startingRoom('r', 'hall', []);
  const fall = Float32Array.from(
    { length: Math.round(decayS * rateHz) },
    (_, n) => Math.sin(n * n) * 10 ** ((-3 * n) / (decayS * rateHz)),
  );
  const recorded = roomResponse('r', [fall, fall.map((value) => -value)], rateHz);
  const run = (kind: (typeof roomKinds)[number]) => {
    const sound = startingRoom('r', kind, []);
    const ringing = ringingOf(kind === 'own' ? { ...sound, response: recorded } : sound, rateHz);
    for (let at = 0; at + quantum <= left.length; at += quantum)
      ringing.process(
        left.subarray(at, at + quantum),
        right.subarray(at, at + quantum),
        early,
        late,
        quantum,
        at,
      );
  };
  const spent = new Map<string, number[]>(roomKinds.map((kind) => [kind, []]));
  const ffmpeg: number[] = [];
  const [file, response] = [join(folder, 'dry-stereo.wav'), join(folder, 'hall.wav')];
  writeFileSync(file, wavFile([Float32Array.from(left), Float32Array.from(right)], rateHz, '32f'));
  writeFileSync(response, wavFile([fall, fall], rateHz, '32f'));
  for (let n = 0; n < 5; n++) {
    for (const kind of roomKinds) spent.get(kind)?.push(await ownSeconds(() => run(kind)));
    ffmpeg.push(
      commandSeconds('ffmpeg', [
        ...['-v', 'error', '-y', '-i', file, '-i', response],
        ...['-lavfi', '[0][1]afir=gtype=none', '-f', 'null', '-'],
      ]),
    );
  }
  for (const [kind, times] of spent)
    row(
      `room: ${kind}`,
      `${((100 * median(times)) / seconds).toFixed(1)} % of a core (mark ≤ 2 for those of ours), ${(median(times) / median(ffmpeg)).toFixed(2)} × the time of ffmpeg's afir with ${decayS} s`,
    );
}
