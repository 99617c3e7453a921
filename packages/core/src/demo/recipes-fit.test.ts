import { expect, test } from '@jest/globals';
import { spliceNeeds } from '../derived/splice-library.ts';
import { findingsOfPart } from '../findings/part-findings.ts';
import { measurePart } from '../findings/measure-part.ts';
import { bytesInMemory } from '../formats/byte-source.ts';
import { readWavLayout } from '../formats/wav-read.ts';
import { compile } from '../rendering/compile.ts';
import { memorySong } from '../rendering/memory.fixture.ts';
import { prepareSplices } from '../rendering/offline.ts';
import { imageFor, recipesFor, sourceOf } from '../song/fitting-recipes.ts';
import type { Family, Song } from '../song/song.ts';
import { factsOf } from '../sources/facts.ts';
import { readWavChannels } from '../sources/wav-blocks.ts';
import type { SplicePlan } from '../voices/splices.ts';
import { demoRecordings } from './demo-song.ts';

const rate = 48_000;
/** Two of them; all others stand in docs/measures.md. */
const families: Readonly<Record<string, Family>> = {
  'wire-harp.wav': 'plucked',
  'frame-drum.wav': 'struck',
};
/** Low drums: what their few tones do in both doubles differs by a decibel and a half. */
const known = ['frame-drum.wav: struck-doubles leans'];

test('no recipe draws a finding on a source that it is for, but what it means', async () => {
  const drawn: string[] = [];
  for (const { fileName, bytes: synthesise } of demoRecordings()) {
    if (!(fileName in families)) continue;
    const bytes = synthesise();
    const layout = await readWavLayout(bytesInMemory(bytes), fileName);
    if (!layout.ok) throw new Error(layout.error.sentence);
    const [whole] = await readWavChannels(bytesInMemory(bytes), layout.value);
    const take = whole.slice(0, 24 * rate);
    const memory = memorySong([take], rate);
    const facts = factsOf([take], rate);
    const part = { ...memory.song.parts.p0, family: families[fileName] };
    const recordings = Object.fromEntries(
      Object.entries(memory.song.recordings).map(([hash, one]) => [hash, { ...one, facts }]),
    );
    const base: Song = { ...memory.song, recordings, parts: { p0: part } };
    const fitting = recipesFor(sourceOf(base, part)).filter(({ fits }) => fits);
    expect(fitting.length).toBeGreaterThan(2);
    for (const { recipe } of fitting) {
      const song: Song = {
        ...base,
        parts: { p0: { ...part, image: imageFor(recipe, sourceOf(base, part)) } },
      };
      const splices = new Map<string, SplicePlan>();
      for (const need of spliceNeeds(song))
        splices.set(need.key, await prepareSplices(need, rate, memory.load));
      const figures = await measurePart(compile(song, splices), 'p0', memory.load, 0, take.length);
      for (const { code } of findingsOfPart(figures, song, song.parts.p0))
        if (code !== 'nothing-wrong' && !recipe.meant?.includes(code))
          drawn.push(`${fileName}: ${recipe.id} ${code}`);
    }
  }
  expect(drawn).toEqual(known);
});
