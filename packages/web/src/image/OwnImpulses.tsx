import { X } from '@phosphor-icons/react';
import { isRecorded } from '@pannet/core/amps/amp';
import { figure } from '@pannet/core/quantities/wording';
import type { Song } from '@pannet/core/song/song';
import { useOpenSong, useSong } from '../session/use-open-song.ts';
import { ownImpulses, roomsBy } from './own-impulses.ts';

/** So many chains are heard through it, in all images and drafts. */
function chainsThrough(song: Song, hash: string): number {
  return Object.values(song.parts)
    .flatMap(({ image, drafts }) => [image, ...Object.values(drafts)])
    .flatMap(({ voices }) => voices)
    .filter(({ amp }) => amp?.cabinet && isRecorded(amp.cabinet) && amp.cabinet.impulse === hash)
    .length;
}

/** What is heard through a response, in words; null where nothing is. */
function usesOf(song: Song, hash: string): string | null {
  const counted = (count: number, one: string) =>
    count === 0 ? [] : [`${count} ${one}${count === 1 ? '' : 's'}`];
  const uses = [
    ...counted(chainsThrough(song, hash), 'chain'),
    ...counted(roomsBy(song, hash).length, 'room'),
  ];
  return uses.length === 0 ? null : uses.join(', ');
}

/**
 * The recorded responses that a song has, with what is heard through them; one that is not used can be removed.
 * @param mostSeconds those that are no longer
 */
export function OwnImpulses({ mostSeconds }: { readonly mostSeconds?: number }) {
  const open = useOpenSong();
  const song = useSong();
  const responses = ownImpulses(song, mostSeconds);
  if (responses.length === 0) return null;
  return (
    <ul className="own-impulses" aria-label="Impulse responses of yours">
      {responses.map(({ hash, fileName, frames, rateHz }) => {
        const uses = usesOf(song, hash);
        return (
          <li key={hash}>
            <span className="text-truncate" title={fileName}>
              {fileName}
            </span>
            <span className="quiet">
              {figure((1000 * frames) / rateHz, 0)} ms · {uses ?? 'not used'}
            </span>
            <button
              type="button"
              className="icon-button"
              aria-label={`Remove ${fileName}`}
              title={
                uses === null
                  ? 'Take it out of the song'
                  : 'It is used, perhaps in a draft: give those chains and rooms another one first'
              }
              onClick={() =>
                open.do(`remove impulse response ${fileName}`, [{ kind: 'drop-recording', hash }])
              }
            >
              <X aria-hidden />
            </button>
          </li>
        );
      })}
    </ul>
  );
}
