import { failure } from '../../outcome.ts';
import { changesOf, id } from '../../parameters/description.ts';
import { describe } from '../../parameters/parameter.ts';
import { voiceDescription, voiceShape } from '../../voices/voice.ts';
import { earlier, editOf, type EditModule } from './edit.ts';
import { changePart } from './edited-part.ts';

const description = editOf('set-voice', {
  partId: id('a part'),
  voiceId: id('a voice'),
  changes: changesOf(voiceDescription, Object.keys(voiceShape) as (keyof typeof voiceShape)[]),
});

export const setVoice: EditModule<typeof description> = {
  description,
  apply: (song, { partId, voiceId, changes }) =>
    changePart(song, partId, (part) => {
      const index = part.image.voices.findIndex((voice) => voice.id === voiceId);
      if (index < 0)
        return failure(
          'no-voice',
          `“${part.name}” has no voice with the id ${describe(voiceId)}.`,
          'voiceId',
        );
      const voice = part.image.voices[index];
      const voices = part.image.voices.with(index, { ...voice, ...changes });
      return {
        part: { ...part, image: { ...part.image, voices } },
        inverse: { kind: 'set-voice', partId, voiceId, changes: earlier(voice, changes) },
      };
    }),
  merge: (before, later) =>
    before.partId === later.partId && before.voiceId === later.voiceId
      ? { ...later, changes: { ...before.changes, ...later.changes } }
      : null,
};
