import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, jest, test } from '@jest/globals';
import { demoRecordings } from '@pannet/core/demo/demo-song';
import { bytesInMemory } from '@pannet/core/formats/byte-source';
import { readWavLayout } from '@pannet/core/formats/wav-read';
import { wavFile } from '@pannet/core/formats/wav-write';
import { writeImageFile } from '@pannet/core/image/image-file';
import { recipes } from '@pannet/core/image/recipes';
import { neutralPreparation } from '@pannet/core/takes/preparation';
import type { StereoReport } from '@pannet/core/measurement/report';
import { readWavChannels } from '@pannet/core/sources/wav-blocks';
import { noise, sine } from '../../core/src/measurement/signals.fixture.ts';
import { runCommandLine } from './command-line.ts';
import { ffmpegLoudness } from './ffmpeg.fixture.ts';

const rate = 48_000;
let folder: string;
let printed: string[];
let complained: string[];

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'pannet-cli-'));
  write('take.wav', wavFile([noise(3, rate, 80)], rate, '24'));
  write('other.wav', wavFile([noise(2, rate, 81)], rate, '24'));
  write('float.wav', wavFile([noise(1, rate, 82)], rate, '32f'));
  write('slow.wav', wavFile([noise(1, 44_100, 83)], 44_100, '24'));
  for (const recipe of recipes)
    write(
      `${recipe.id}.json`,
      JSON.stringify(
        writeImageFile({
          name: null,
          panLaw: '-3',
          preparation: neutralPreparation,
          image: recipe.image,
        }),
      ),
    );
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));
beforeEach(() => {
  printed = [];
  complained = [];
  jest.spyOn(console, 'log').mockImplementation((line: string) => void printed.push(line));
  jest.spyOn(console, 'error').mockImplementation((line: string) => void complained.push(line));
});

function write(name: string, content: string | Uint8Array): void {
  writeFileSync(join(folder, name), content);
}

const pannet = (line: string) => runCommandLine(line.split(' '), folder);

async function wav(name: string) {
  const bytes = new Uint8Array(readFileSync(join(folder, name)));
  const layout = await readWavLayout(bytesInMemory(bytes), name);
  if (!layout.ok) throw new Error(layout.error.sentence);
  return {
    layout: layout.value,
    channels: await readWavChannels(bytesInMemory(bytes), layout.value),
  };
}

describe('render', () => {
  test('writes the image at the rate and length of the take, 24 bits, with report and matched plain', async () => {
    expect(
      await pannet(
        'render --image tuned-doubles.json --take take.wav --out wide.wav --report report.json --plain plain.wav',
      ),
    ).toBe(0);
    const { layout } = await wav('wide.wav');
    expect(layout).toMatchObject({
      rateHz: rate,
      frames: 3 * rate,
      channels: 2,
      bitsPerSample: 24,
      encoding: 'pcm',
    });
    const report = JSON.parse(readFileSync(join(folder, 'report.json'), 'utf8')) as StereoReport & {
      findings: { code: string }[];
    };
    expect(Object.keys(report)).toEqual([
      'rateHz',
      'frames',
      'loudnessLufs',
      'truePeakDbtp',
      'samplePeakDbfs',
      'correlation',
      'sideToMidDb',
      'stillMono',
      'likeness',
      'fold',
      'leadMs',
      'leanDb',
      'findings',
      'more',
    ]);
    expect(Object.keys(report.fold)).toEqual([
      'lossDb',
      'dropLu',
      'deepestDipDb',
      'deepestDipHz',
      'verdict',
      'bands',
    ]);
    // Plain is as loud as the image, by an outside meter.
    const [image, plain] = ['wide.wav', 'plain.wav'].map(
      (name) => ffmpegLoudness(join(folder, name)).lufs,
    );
    expect(Math.abs(image - plain)).toBeLessThan(0.1);
    expect(Math.abs(image - (report.loudnessLufs ?? 0))).toBeLessThan(0.1);
  });

  test('a 12 ms delay is that delay to the sample', async () => {
    write(
      'late.json',
      JSON.stringify({
        format: 'pannet-image',
        formatVersion: 1,
        voices: [{ placement: { kind: 'pan', panPercent: 100 }, delay: { value: 12, unit: 'ms' } }],
      }),
    );
    expect(await pannet('render --image late.json --take take.wav --out late.wav')).toBe(0);
    const [take, late] = [await wav('take.wav'), await wav('late.wav')];
    expect(late.channels[1].slice(576)).toEqual(take.channels[0].slice(0, -576));
    expect(late.channels[0].every((value) => value === 0)).toBe(true);
  });

  test('a delay and width agree with the same made by ffmpeg filters', async () => {
    write(
      'wide.json',
      JSON.stringify({
        format: 'pannet-image',
        formatVersion: 1,
        voices: [
          { placement: { kind: 'pan', panPercent: -100 } },
          { placement: { kind: 'pan', panPercent: 100 }, delay: { value: 672, unit: 'samples' } },
        ],
        stage: { widthPercent: 80 },
      }),
    );
    expect(await pannet('render --image wide.json --take take.wav --out ours.wav --bits 32f')).toBe(
      0,
    );
    // M ± 0.8·S, with the right side 672 samples late.
    const filters =
      'aformat=sample_fmts=dblp,pan=stereo|c0=c0|c1=c0,adelay=0|672S,pan=stereo|c0=0.9*c0+0.1*c1|c1=0.1*c0+0.9*c1,atrim=end_sample=144000';
    execFileSync('ffmpeg', [
      '-y',
      '-v',
      'error',
      '-i',
      join(folder, 'take.wav'),
      '-af',
      filters,
      '-c:a',
      'pcm_f32le',
      join(folder, 'theirs.wav'),
    ]);
    const [ours, theirs] = [await wav('ours.wav'), await wav('theirs.wav')];
    let worst = 0;
    for (const side of [0, 1])
      for (let n = 0; n < ours.layout.frames; n++)
        worst = Math.max(worst, Math.abs(ours.channels[side][n] - theirs.channels[side][n]));
    expect(worst).toBeLessThan(1e-6);
  });

  test('two takes play on two sides; the longest decides the length', async () => {
    write(
      'two.json',
      JSON.stringify({
        format: 'pannet-image',
        formatVersion: 1,
        voices: [
          { take: 1, placement: { kind: 'pan', panPercent: -100 } },
          { take: 2, placement: { kind: 'pan', panPercent: 100 } },
        ],
      }),
    );
    expect(
      await pannet('render --image two.json --take other.wav --take take.wav --out two.wav'),
    ).toBe(0);
    const [two, take, other] = [
      await wav('two.wav'),
      await wav('take.wav'),
      await wav('other.wav'),
    ];
    expect(two.layout.frames).toBe(3 * rate);
    expect(two.channels[1]).toEqual(take.channels[0]);
    expect(two.channels[0].slice(0, 2 * rate)).toEqual(other.channels[0]);
  });

  test.each([
    ['float.wav', '', '32', 'float'],
    ['take.wav', ' --bits 16', '16', 'pcm'],
    ['take.wav', ' --bits 32f --rate 48000', '32', 'float'],
  ])('depth: %s%s becomes %s-bit %s', async (take, more, bits, encoding) => {
    expect(await pannet(`render --image mirrored.json --take ${take} --out depth.wav${more}`)).toBe(
      0,
    );
    expect((await wav('depth.wav')).layout).toMatchObject({
      bitsPerSample: Number(bits),
      encoding,
    });
  });

  test('warns above −1 dBTP and of what is held at full scale, and changes nothing else', async () => {
    write('hot.wav', wavFile([sine(997, -0.1, 1, rate)], rate, '24'));
    write(
      'hot.json',
      JSON.stringify({ format: 'pannet-image', formatVersion: 1, voices: [{ levelDb: 6 }] }),
    );
    expect(await pannet('render --image hot.json --take hot.wav --out hotter.wav')).toBe(0);
    expect(complained.join('\n')).toMatch(/samples of “.*hotter\.wav” lie over full scale/);
    expect(complained.join('\n')).toMatch(/Warning: the true peak is 2\.\d\d dBTP, over −1 dBTP\./);
  });

  test.each<[string, string, RegExp]>([
    [
      'an unknown key',
      'render --image bad-key.json --take take.wav --out no.wav',
      /bad-key\.json” at voices\[0\]\.width: “voices\[0\]\.width” is not known here/,
    ],
    [
      'a delay of 175 ms',
      'render --image bad-delay.json --take take.wav --out no.wav',
      /Delay must be between −50 and 150 ms; it was 175\./,
    ],
    ['what is not JSON', 'render --image take.wav --take take.wav --out no.wav', /is not JSON/],
    [
      'no such image',
      'render --image none.json --take take.wav --out no.wav',
      /there is no such file/,
    ],
    [
      'no such take',
      'render --image mirrored.json --take none.wav --out no.wav',
      /there is no such file/,
    ],
    [
      'takes of two rates',
      'render --image mirrored.json --take take.wav --take slow.wav --out no.wav',
      /different rates \(48000 and 44100 Hz\)/,
    ],
    [
      'a rate that nothing runs at',
      'render --image mirrored.json --take take.wav --out no.wav --rate 4000',
      /--rate must be a whole number of Hz from 8000 to 192000; it was “4000”/,
    ],
    [
      'a strange depth',
      'render --image mirrored.json --take take.wav --out no.wav --bits 20',
      /--bits must be 16, 24 or 32f; it was “20”\./,
    ],
    ['no image', 'render --take take.wav --out no.wav', /--image FILE\.json/],
    ['a strange option', 'render --loud', /loud/],
    [
      'a folder that is not there',
      'render --image mirrored.json --take take.wav --out none/no.wav',
      /cannot be written/,
    ],
    [
      'a side that a file does not have',
      'render --image mirrored.json --take take.wav#2 --out no.wav',
      /is mono: it has no side 2/,
    ],
    [
      'more takes described than given',
      'render --image many-takes.json --take take.wav --out no.wav',
      /describes 2 takes; 1 were given/,
    ],
    [
      'a take that is lined up with itself',
      'render --image itself.json --take take.wav --out no.wav',
      /with another one, 1 to 1; take 1 names 1/,
    ],
    [
      'a clip that ends before it begins',
      'render --image bad-clip.json --take take.wav --out no.wav',
      /takes\[0\]\.clips\[0\]\.toS: A clip ends after it begins \(2 s\); its end was 1/,
    ],
    [
      'a tightness out of range',
      'align --reference take.wav --take other.wav --out no.wav --tightness 120',
      /--tightness must be a number from 0 to 100; it was “120”/,
    ],
    ['no reference', 'align --take other.wav --out no.wav', /--reference REF\.wav/],
    [
      'a stereo take to line up',
      'align --reference take.wav --take stereo.wav --out no.wav',
      /say which one, “.*stereo\.wav#1” or/,
    ],
    [
      'what has nothing in common',
      'align --reference take.wav --take other.wav --out no.wav --report no.json',
      /(too little in common|Too little begins).*Nothing was written/,
    ],
  ])('refuses %s with status 2 and leaves nothing behind', async (_, line, sentence) => {
    write(
      'bad-key.json',
      JSON.stringify({ format: 'pannet-image', formatVersion: 1, voices: [{ width: 3 }] }),
    );
    write(
      'bad-delay.json',
      JSON.stringify({
        format: 'pannet-image',
        formatVersion: 1,
        voices: [{ delay: { value: 175 } }],
      }),
    );
    write('stereo.wav', wavFile([noise(0.1, rate, 84), noise(0.1, rate, 85)], rate, '24'));
    const takes = (...described: object[]) =>
      JSON.stringify({ format: 'pannet-image', formatVersion: 1, voices: [{}], takes: described });
    write('many-takes.json', takes({}, {}));
    write('itself.json', takes({ align: { to: 1 } }));
    write('bad-clip.json', takes({ clips: [{ fromS: 2, toS: 1, atS: 0 }] }));
    expect(await pannet(line)).toBe(2);
    expect(complained.join('\n')).toMatch(sentence);
    expect(existsSync(join(folder, 'no.wav'))).toBe(false);
    expect(readdirSync(folder).filter((name) => name.endsWith('.partial'))).toEqual([]);
  });
});

describe('takes of other formats and rates', () => {
  const encode = (name: string, options: readonly string[]) =>
    execFileSync('ffmpeg', [
      '-y',
      '-v',
      'error',
      '-i',
      join(folder, 'tones.wav'),
      ...options,
      join(folder, name),
    ]);
  const neutral = 'neutral.json';

  beforeAll(() => {
    const [low, high] = [sine(440, -12, 2.5, rate), sine(3100, -18, 2.5, rate)];
    write('tones.wav', wavFile([low.map((value, n) => value + high[n])], rate, '24'));
    write(neutral, JSON.stringify({ format: 'pannet-image', formatVersion: 1, voices: [{}] }));
  });

  /** The middle of the rendered image, at the gain of the pan law. */
  async function rendered(
    take: string,
    more = '',
  ): Promise<{ rateHz: number; side: Float32Array }> {
    const line = `render --image ${neutral} --take ${take} --out made.wav --bits 32f ${more}`;
    expect(await pannet(line.trim())).toBe(0);
    const { layout, channels } = await wav('made.wav');
    return { rateHz: layout.rateHz, side: channels[0].map((value) => value * Math.SQRT2) };
  }

  const errorDb = (made: Float32Array, exact: Float32Array) => {
    let error = 0;
    let power = 0;
    for (let n = 2000; n < exact.length - 2000; n++) {
      error += (made[n] - exact[n]) ** 2;
      power += exact[n] ** 2;
    }
    return 10 * Math.log10(error / power);
  };

  test.each<[string, string[], number]>([
    ['take.flac', ['-sample_fmt', 's32'], -120],
    ['take.aiff', ['-c:a', 'pcm_s24be'], -120],
    ['take8.aiff', ['-c:a', 'pcm_s8'], -25],
    ['take.ogg', ['-c:a', 'libvorbis', '-q:a', '8'], -30],
    ['take.mp3', ['-c:a', 'libmp3lame', '-b:a', '320k'], -30],
  ])('%s, encoded by ffmpeg, lies in place to the sample', async (name, options, limit) => {
    encode(name, options);
    const { channels } = await wav('tones.wav');
    const { side } = await rendered(name);
    expect(side).toHaveLength(channels[0].length);
    expect(errorDb(side, channels[0])).toBeLessThan(limit);
  });

  test('--rate converts as ffmpeg with its best resampler does', async () => {
    const resampler = 'aresample=44100:resampler=soxr:precision=28';
    encode('slower.wav', ['-af', resampler, '-c:a', 'pcm_f32le']);
    const { channels } = await wav('slower.wav');
    const { rateHz, side } = await rendered('tones.wav', '--rate 44100');
    expect(rateHz).toBe(44_100);
    expect(Math.abs(side.length - channels[0].length)).toBeLessThanOrEqual(1);
    expect(errorDb(side, channels[0].subarray(0, side.length))).toBeLessThan(-100);
  });
});

describe('measure', () => {
  test('prints the report as JSON, or as lines to read', async () => {
    write('pair.wav', wavFile([noise(4, rate, 86, 0.1), noise(4, rate, 87, 0.1)], rate, '24'));
    expect(await pannet('measure pair.wav --json')).toBe(0);
    const report = JSON.parse(printed.join('')) as StereoReport & { findings: { code: string }[] };
    expect(report.fold.lossDb).toBeCloseTo(-3.01, 1);
    expect(report.findings).toEqual([
      { code: 'nothing-wrong', sentence: 'Nothing wrong was found.' },
    ]);
    printed = [];
    expect(await pannet('measure pair.wav')).toBe(0);
    expect(printed.join('\n')).toMatch(/Verdict +holds/);
    expect(printed.join('\n')).toMatch(/Loudness +−\d+\.\d LUFS/);
  });

  test('a mono file is still mono; what cannot be read is refused', async () => {
    expect(await pannet('measure take.wav --json')).toBe(0);
    expect(JSON.parse(printed.join(''))).toMatchObject({
      stillMono: true,
      correlation: expect.closeTo(1, 9),
    });
    expect(await pannet('measure mirrored.json')).toBe(2);
    expect(await pannet('measure')).toBe(2);
    expect(await pannet('measure none.wav')).toBe(2);
  });

  test('several files are a row or an entry each; --check fails where one breaks, and one that cannot be read fails all', async () => {
    const left = noise(4, rate, 88, 0.1);
    write('holds.wav', wavFile([left, noise(4, rate, 89, 0.1)], rate, '24'));
    const turned = left.map((value, n) => -value + 0.02 * Math.sin(n / 3));
    write('breaks.wav', wavFile([left, turned], rate, '24'));
    expect(await pannet('measure holds.wav breaks.wav')).toBe(0);
    expect(printed).toHaveLength(3);
    const [head, ...rows] = printed;
    expect(head.trim().split(/\s{2,}/)[0]).toBe('File');
    expect(rows.map((row) => [row.split(' ')[0], row.split(' ').at(-1)])).toEqual([
      ['holds.wav', 'holds'],
      ['breaks.wav', 'breaks'],
    ]);
    expect(new Set(printed.map(({ length }) => length)).size).toBe(1);
    printed = [];
    expect(await pannet('measure holds.wav breaks.wav --json --check')).toBe(1);
    const entries = JSON.parse(printed.join('')) as (StereoReport & { file: string })[];
    expect(entries.map(({ file, fold }) => [file, fold.verdict])).toEqual([
      ['holds.wav', 'holds'],
      ['breaks.wav', 'breaks'],
    ]);
    // One entry says what the file alone does.
    printed = [];
    expect(await pannet('measure breaks.wav --json --check')).toBe(1);
    expect({ file: 'breaks.wav', ...JSON.parse(printed.join('')) }).toEqual(entries[1]);
    expect(await pannet('measure holds.wav --check')).toBe(0);
    printed = [];
    expect(await pannet('measure none.wav holds.wav --check --json')).toBe(2);
    const [none, holds] = JSON.parse(printed.join('')) as { file: string; sentence?: string }[];
    expect(none).toEqual({ file: 'none.wav', sentence: expect.stringContaining('none.wav') });
    expect(holds).toMatchObject({ file: 'holds.wav', fold: { verdict: 'holds' } });
  });

  test('loudness and true peak of the demo song agree with ffmpeg within 0.1 LU and 0.1 dB', async () => {
    for (const { fileName, bytes } of demoRecordings()) {
      write(fileName, bytes());
      printed = [];
      // ffmpeg counts a mono file as one channel (BS.1770); a part is measured as it lies in both, 3.01 LU louder.
      const mono = fileName !== 'rough-mix.wav';
      expect(await pannet(`measure ${fileName} --json`)).toBe(0);
      const report = JSON.parse(printed.join('')) as StereoReport;
      const outside = ffmpegLoudness(join(folder, fileName));
      const loudness = (report.loudnessLufs ?? 0) - (mono ? 10 * Math.log10(2) : 0);
      expect(Math.abs(loudness - outside.lufs)).toBeLessThan(0.1);
      expect(Math.abs((report.truePeakDbtp ?? 0) - outside.peakDbtp)).toBeLessThan(0.1);
    }
  });
});

describe('takes', () => {
  const image = (takes: readonly object[]) =>
    JSON.stringify({
      format: 'pannet-image',
      formatVersion: 1,
      panLaw: '0',
      takes,
      voices: [
        { take: 1, placement: { kind: 'pan', panPercent: -100 } },
        { take: 2, placement: { kind: 'pan', panPercent: 100 } },
      ],
    });
  /** Blows of one kind, one each half second, some of them late; silence between them. */
  const blows = (late: readonly number[]) => {
    const samples = new Float32Array(8 * rate);
    for (let n = 0; n < 15; n++) {
      const at = Math.round((0.2 + 0.5 * n) * rate) + (late[n % late.length] ?? 0);
      const hiss = noise(0.15, rate, 300 + n, 0.5);
      for (let k = 0; k < hiss.length; k++) samples[at + k] += hiss[k] * Math.exp(-k / 1500);
    }
    return samples;
  };
  const early = blows([0]);
  const uneven = blows([0, 700, -500, 300, -820]);

  beforeAll(() => {
    const turned = uneven.map((value) => -value);
    write('early.wav', wavFile([early], rate, '24'));
    write('uneven.wav', wavFile([turned], rate, '24'));
    write('both.wav', wavFile([early, turned], rate, '24'));
    write('as-they-are.json', image([]));
    write('lined-up.json', image([{}, { align: { to: 1, tightnessPercent: 100 } }]));
    write(
      'cut.json',
      image([{ clips: [{ fromS: 0.15, toS: 0.45, atS: 1, fadeInMs: 0 }] }, { levelDb: -20 }]),
    );
  });

  const apart = (one: Float32Array, other: Float32Array) =>
    one.reduce((most, value, n) => Math.max(most, Math.abs(value - other[n])), 0);

  test('a stereo file is two takes, left then right, and that is said; a side can be named', async () => {
    expect(await pannet('render --image as-they-are.json --take both.wav --out two.wav')).toBe(0);
    expect(complained.join()).toContain('is stereo: it counts as two takes, left then right');
    await pannet('render --image as-they-are.json --take early.wav --take uneven.wav --out b.wav');
    const [two, apartFiles] = [await wav('two.wav'), await wav('b.wav')];
    for (const side of [0, 1])
      expect(apart(two.channels[side], apartFiles.channels[side])).toBeLessThan(1e-6);
    await pannet('render --image as-they-are.json --take both.wav#2 --take both.wav#1 --out c.wav');
    const swapped = await wav('c.wav');
    expect(apart(swapped.channels[0], two.channels[1])).toBeLessThan(1e-6);
  });

  test('are lined up, of whatever polarity; the report tells each onset before and after', async () => {
    expect(
      await pannet(
        'align --reference early.wav --take uneven.wav --out there.wav --tightness 100 --report a.json',
      ),
    ).toBe(0);
    const { layout, channels } = await wav('there.wav');
    expect(layout).toMatchObject({ channels: 1, frames: early.length, rateHz: rate });
    expect(apart(channels[0], early)).toBeLessThan(1e-3);
    const report = JSON.parse(readFileSync(join(folder, 'a.json'), 'utf8')) as {
      polarity: string;
      onsets: { beforeMs: number; afterMs: number; sure: boolean }[];
      medianBeforeMs: number;
      medianAfterMs: number;
    };
    expect(report.polarity).toBe('inverted');
    expect(report.onsets).toHaveLength(15);
    expect(report.onsets[1].beforeMs).toBeCloseTo(700 / 48, 1);
    expect(report.onsets[2].beforeMs).toBeCloseTo(-500 / 48, 1);
    expect(report.medianBeforeMs).toBeGreaterThan(5);
    expect(report.medianAfterMs).toBeLessThan(0.1);
    expect(complained.join()).toContain('of the other polarity; 15 of 15 onsets were sure');
  });

  test('lined up and cut as an image file says: what plays is what align writes', async () => {
    await pannet('render --image lined-up.json --take early.wav --take uneven.wav --out l.wav');
    const lined = await wav('l.wav');
    expect(apart(lined.channels[1].subarray(0, early.length), early)).toBeLessThan(1e-3);
    await pannet('render --image cut.json --take early.wav --take uneven.wav --out k.wav');
    const [left, right] = (await wav('k.wav')).channels;
    expect(left.subarray(0, rate).every((value) => value === 0)).toBe(true);
    const moved = left.subarray(rate, rate + 0.2 * rate);
    expect(apart(moved, early.subarray(0.15 * rate, 0.35 * rate))).toBeLessThan(1e-6);
    expect(left.subarray(1.31 * rate).every((value) => value === 0)).toBe(true);
    expect(
      apart(
        right,
        uneven.map((value) => value * -0.1),
      ),
    ).toBeLessThan(1e-5);
  });
});
