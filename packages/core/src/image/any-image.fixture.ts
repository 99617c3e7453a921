import type fc from 'fast-check';
import { anyOf } from '../parameters/any.fixture.ts';
import { preparationDescription, type Preparation } from '../takes/preparation.ts';
import { voiceDescription, type Voice } from '../voices/voice.ts';
import { withImpulses } from './image-file.ts';
import { imageDescription, type Image } from './image.ts';
import { stageDescription, type Stage } from './stage.ts';

export const anyVoice: fc.Arbitrary<Voice> = anyOf(voiceDescription);
export const anyStage: fc.Arbitrary<Stage> = anyOf(stageDescription);
export const anyPreparation: fc.Arbitrary<Preparation> = anyOf(preparationDescription);

/** What recorded impulse responses are called: the one that a song in memory has. */
export const anyImpulse = 'f'.repeat(64);

/** An image with any mixture of all parameters, its voices of the first take. */
export const anyImage: fc.Arbitrary<Image> = anyOf(imageDescription)
  .map((image) => withImpulses(image, () => anyImpulse))
  .map((image) => ({
    ...image,
    voices: (image.voices.length > 0
      ? image.voices.slice(0, 4)
      : [voiceDescription.parse({ id: 'v', name: 'voice' }) as Voice]
    ).map((voice, n) => ({ ...voice, take: 1, id: `v${n + 1}`, name: `voice ${n + 1}` })),
  }));
