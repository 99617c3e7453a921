import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { WaveFile } from 'wavefile';
import { bytesInMemory } from './byte-source.ts';
import { expectSuccess } from '../outcome.ts';
import { decodeChannel, findWav, readWavLayout } from './wav-read.ts';
import { WavEncoder, wavFile, wavFits, type WrittenBits } from './wav-write.ts';

const ramp = Float32Array.from({ length: 101 }, (_, n) => n / 100 - 0.5);

async function read(bytes: Uint8Array) {
  const layout = await readWavLayout(bytesInMemory(bytes), 'take.wav');
  if (!layout.ok) throw new Error(layout.error.sentence);
  const body = bytes.subarray(
    layout.value.dataOffset,
    layout.value.dataOffset + layout.value.frames * layout.value.bytesPerFrame,
  );
  return { layout: layout.value, left: decodeChannel(body, layout.value, 0) };
}

async function refusal(bytes: Uint8Array) {
  const layout = await readWavLayout(bytesInMemory(bytes), 'take.wav');
  return layout.ok ? 'read' : layout.error.sentence;
}

function patched(bytes: Uint8Array, offset: number, value: number, size: 2 | 4): Uint8Array {
  const copy = bytes.slice();
  const view = new DataView(copy.buffer);
  if (size === 2) view.setUint16(offset, value, true);
  else view.setUint32(offset, value, true);
  return copy;
}

describe('reading what the registry package wavefile writes', () => {
  test.each([
    ['16', 1 / 32_768],
    ['24', 1 / 8_388_608],
    ['32', 1e-7],
    ['32f', 1e-7],
    ['64', 1e-7],
  ])('depth %s', async (depth, step) => {
    const foreign = new WaveFile();
    const scale = depth.endsWith('f') || depth === '64' ? 1 : 2 ** (Number.parseInt(depth) - 1);
    const values = Float64Array.from(ramp, (value) =>
      scale === 1 ? value : Math.round(value * scale),
    );
    foreign.fromScratch(2, 44_100, depth, [values, values] as unknown as number[][]);
    const { layout, left } = await read(foreign.toBuffer());
    expect(layout).toMatchObject({ channels: 2, rateHz: 44_100, frames: 101 });
    for (let n = 0; n < ramp.length; n++)
      expect(Math.abs(left[n] - ramp[n])).toBeLessThanOrEqual(step);
  });
});

describe('writing', () => {
  test.each<[WrittenBits, string]>([
    ['16', '16'],
    ['24', '24'],
    ['32f', '32f'],
  ])('%s is understood by the registry package wavefile', (bits, depth) => {
    const foreign = new WaveFile(wavFile([ramp, ramp], 48_000, bits));
    expect(foreign.bitDepth).toBe(depth);
    const format = foreign.fmt as { numChannels: number; sampleRate: number; audioFormat: number };
    expect(format.numChannels).toBe(2);
    expect(format.sampleRate).toBe(48_000);
    expect(format.audioFormat).toBe(bits === '24' ? 0xfffe : bits === '32f' ? 3 : 1);
  });

  test('24 bits and float come back sample for sample', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.integer({ min: -8_388_608, max: 8_388_607 }), { minLength: 1 }),
        async (steps) => {
          const samples = Float32Array.from(steps, (step) => step / 8_388_608);
          for (const bits of ['24', '32f'] as const)
            expect((await read(wavFile([samples], 48_000, bits))).left).toEqual(samples);
        },
      ),
      { numRuns: 50 },
    );
  });

  test('full scale is held and counted, not wrapped', () => {
    const encoder = new WavEncoder('24');
    const bytes = encoder.encode([Float32Array.of(1, -1, 1.5, -1.5)], 4);
    expect(encoder.clipped).toBe(2);
    expect([...bytes.subarray(0, 3)]).toEqual([0xff, 0xff, 0x7f]);
    expect([...bytes.subarray(9, 12)]).toEqual([0, 0, 0x80]);
  });

  test('dither of 16 bits is under two steps and repeatable', async () => {
    const once = wavFile([ramp], 48_000, '16');
    expect(wavFile([ramp], 48_000, '16')).toEqual(once);
    const { left } = await read(once);
    for (let n = 0; n < ramp.length; n++)
      expect(Math.abs(left[n] - ramp[n])).toBeLessThan(2 / 32_768);
  });

  test('what no longer fits a RIFF header is known', () => {
    expect(wavFits(48_000 * 3600, 2, '24')).toBe(true);
    expect(wavFits(48_000 * 3600 * 5, 2, '24')).toBe(false);
  });
});

describe('skipped and refused', () => {
  const good = wavFile([ramp], 48_000, '16');

  test('odd chunks are skipped with their pad byte', async () => {
    const odd = Uint8Array.of(...Buffer.from('note'), 3, 0, 0, 0, 1, 2, 3, 0);
    const file = Uint8Array.of(...good.subarray(0, 12), ...odd, ...good.subarray(12));
    expect((await read(file)).layout.frames).toBe(101);
  });

  test.each<[string, Uint8Array, RegExp]>([
    ['nothing', new Uint8Array(0), /“take.wav” is empty \(0 bytes\)/],
    [
      'an MP3',
      Uint8Array.of(...Buffer.from('ID3'), ...new Uint8Array(60)),
      /not a WAV file: it begins like an MP3/,
    ],
    ['a bare MP3 frame', Uint8Array.of(0xff, 0xfb, ...new Uint8Array(60)), /begins like an MP3/],
    [
      'three channels',
      patched(patched(good, 22, 3, 2), 32, 6, 2),
      /has 3 channels; mono \(1\) and stereo \(2\) are read/,
    ],
    [
      'a lying header',
      patched(good, 40, 2_000_000_000, 4),
      /promises 2000000000 bytes of audio, 202 are there/,
    ],
    ['a truncated file', good.subarray(0, 150), /cut short/],
    ['half a frame', patched(good, 40, 201, 4), /middle of a frame/],
    ['a cut header', good.subarray(0, 30), /cut short|no audio data/],
    ['µ-law', patched(good, 20, 7, 2), /coded as format tag 7/],
    ['8 bits', patched(patched(good, 34, 8, 2), 32, 1, 2), /pcm of 8 bits/],
    ['a rate of 4 kHz', patched(good, 24, 4000, 4), /rate of 4000 Hz; 8000 to 192000/],
    ['no frames', patched(good, 40, 0, 4), /data chunk is empty/],
    ['a contradiction', patched(good, 32, 4, 2), /contradicts itself/],
  ])('%s', async (_, bytes, sentence) => {
    expect(await refusal(bytes)).toMatch(sentence);
  });

  const chunk = (name: string, ...bytes: number[]) => {
    const size = new Uint8Array(Uint32Array.of(bytes.length).buffer);
    return Uint8Array.of(...Buffer.from(name), ...size, ...bytes);
  };
  const found = async (bytes: Uint8Array) =>
    expectSuccess(await findWav(bytesInMemory(bytes), 'take.wav'));
  const u64 = (value: number) => [...new Uint8Array(BigUint64Array.of(BigInt(value)).buffer)];

  test('RF64 and BW64 tell their sizes in a chunk of their own (EBU Tech 3306)', async () => {
    for (const kind of ['RF64', 'BW64']) {
      const sizes = chunk('ds64', ...u64(1000), ...u64(202), ...u64(101), 0, 0, 0, 0);
      const marked = patched(good, 40, 0xffff_ffff, 4);
      const file = Uint8Array.of(
        ...Buffer.from(kind),
        255,
        255,
        255,
        255,
        ...Buffer.from('WAVE'),
        ...sizes,
        ...marked.subarray(12),
        ...chunk('LIST', 1, 2),
      );
      expect(await found(file)).toMatchObject({ layout: { frames: 101 }, remarks: [] });
    }
  });

  test.each([
    ['all ones', 0xffff_ffff, 0xffff_ffff],
    ['zeros', 0, 0],
    ['whole pages of a signed number', 0x7fff_f000, 0x7fff_f024],
  ])(
    'a stream whose sizes are %s is read to its end, and said to be one',
    async (_, data, riff) => {
      const file = patched(patched(good, 40, data, 4), 4, riff, 4);
      const { layout, remarks } = await found(file);
      expect(layout.frames).toBe(101);
      expect(remarks).toEqual([expect.stringContaining('written as a stream')]);
      // Stopped in the middle of a frame.
      expect((await read(file.subarray(0, file.length - 1))).layout.frames).toBe(100);
    },
  );

  test('a pad byte that is missing is said, and nothing is lost by it', async () => {
    const odd = chunk('note', 1, 2, 3);
    const file = Uint8Array.of(...good.subarray(0, 12), ...odd, ...good.subarray(12));
    expect((await found(file)).remarks).toEqual([
      expect.stringMatching(/no pad byte behind its “note” chunk/),
    ]);
    expect((await read(file)).left).toEqual((await read(good)).left);
    const single = wavFile([ramp.subarray(0, 3)], 48_000, '24');
    expect((await found(single)).remarks).toEqual([]);
    expect((await found(single.subarray(0, single.length - 1))).remarks).toEqual([
      expect.stringMatching(/no pad byte behind its audio/),
    ]);
  });

  test('any bytes at all are read or refused with a sentence', async () => {
    await fc.assert(
      fc.asyncProperty(fc.uint8Array({ maxLength: 120 }), fc.boolean(), async (bytes, riff) => {
        const file = riff ? Uint8Array.of(...good.subarray(0, 36), ...bytes) : bytes;
        expect(await refusal(file)).toMatch(/^read$|\.$/);
      }),
    );
  });

  test('values that are not finite become silence', async () => {
    const file = wavFile([Float32Array.of(0.5, Number.NaN, Infinity)], 48_000, '32f');
    expect([...(await read(file)).left]).toEqual([0.5, 0, 0]);
  });
});
