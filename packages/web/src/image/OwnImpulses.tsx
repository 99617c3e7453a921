import { X } from '@phosphor-icons/react';
import { isRecorded } from '@pannet/core/amps/amp';
import { figure } from '@pannet/core/quantities/wording';
import type { Song } from '@pannet/core/song/song';
import { useOpenSong, useSong } from '../session/open-song.ts';
import { ownImpulses } from './own-impulses.ts';

/** So many chains are heard through it, in all images and drafts. */
function usesOf(song: Song, hash: string): number {
  return Object.values(song.parts)
    .flatMap(({ image, drafts }) => [image, ...Object.values(drafts)])
    .flatMap(({ voices }) => voices)
    .filter(({ amp }) => amp?.cabinet && isRecorded(amp.cabinet) && amp.cabinet.impulse === hash)
    .length;
}

/** The impulse responses that a song has, with what is heard through them; one that is not used can be removed. */
export function OwnImpulses() {
  const open = useOpenSong();
  const song = useSong();
  const responses = ownImpulses(song);
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
              {figure((1000 * frames) / rateHz, 0)} ms ·{' '}
              {uses === 0 ? 'not used' : `${uses} chain${uses === 1 ? '' : 's'}`}
            </span>
            <button
              type="button"
              className="icon-button"
              aria-label={`Remove ${fileName}`}
              title={
                uses === 0
                  ? 'Take it out of the song'
                  : 'It is used, in an image or a draft: give those chains another cabinet first'
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
