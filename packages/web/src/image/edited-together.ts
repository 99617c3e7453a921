import { mirrored } from '@pannet/core/image/pairs';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Part } from '@pannet/core/song/song';
import type { Voice } from '@pannet/core/voices/voice';
import type { OpenSong } from '../session/open-song.ts';
import { changeName, changesFor, voiceEdit, type VoiceChanges } from './voice-edits.ts';

/** What a change of a voice does to it and to those that are edited together with it, as one step. */
export function editedTogether(
  open: OpenSong,
  part: Part,
  voice: Voice,
  shown: VoiceChanges,
): { readonly name: string; readonly edits: readonly Edit[] } {
  const before =
    open.keptPart(part.id)?.image.voices.find((other) => other.id === voice.id) ?? voice;
  const changes = open.onKept<Omit<Voice, 'id'>>(part.id, voice, before, shown);
  const { voiceIds, delaysAlike } = open.selection.getState();
  const pair = open.pairOf(part.id, voice.id);
  const ids = pair ?? (voiceIds.includes(voice.id) ? voiceIds : []);
  const others = part.image.voices.filter(({ id }) => id !== voice.id && ids.includes(id));
  const edits = [
    ...voiceEdit(part, voice, changes),
    ...others.flatMap((other) => {
      const same = changesFor(other, before, changes);
      if (!pair) return voiceEdit(part, other, same);
      const { delay, ...rest } = mirrored(before, same, changes);
      const mine = delay && delaysAlike ? { ...rest, delay } : rest;
      return Object.keys(mine).length > 0 ? voiceEdit(part, other, mine) : [];
    }),
  ];
  const more = edits.length - 1;
  const also = more === 0 ? '' : pair ? ', and its mirror image' : ` (and ${more} more)`;
  return { name: `${changeName(before, changes)}${also}`, edits };
}
