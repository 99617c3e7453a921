import { usualAmp } from '@pannet/core/amps/amp';
import type { Part } from '@pannet/core/song/song';
import type { Voice } from '@pannet/core/voices/voice';
import { ComingBar } from '../importing/ComingBar.tsx';
import { forChain, puttingOf, type KeptImpulse } from '../importing/keep-impulse.ts';
import { useComing } from '../importing/use-coming.ts';
import { useOpenSong, useRecordings } from '../session/use-open-song.ts';
import { AmpColumn } from './AmpColumn.tsx';
import { ChainsApartPanel } from './ChainsApartPanel.tsx';
import { OwnImpulses } from './OwnImpulses.tsx';
import { SharedDriveBar } from './SharedDriveBar.tsx';

/** From left to right as they stand; what stands nowhere (mirrored, spread) behind them. */
function inOrder(voices: readonly Voice[]): readonly Voice[] {
  const place = ({ placement }: Voice) =>
    placement.kind === 'pan' ? placement.panPercent : Number.POSITIVE_INFINITY;
  return [...voices].sort((a, b) => place(a) - place(b));
}

/** What stands before all voices, what each is played through, one column a voice, and how the outer two differ. */
export function AmpPage({ part }: { readonly part: Part }) {
  const voices = inOrder(part.image.voices);
  const [first, last] = [voices.at(0), voices.at(-1)];
  const recordings = useRecordings();
  const driven = part.takes.some(({ recording }) => recordings[recording].facts?.driven);
  const impulse = useImpulseComing(part);
  return (
    <div className="amp-page">
      {driven && (
        <p className="small m-0 px-2" role="note">
          This take is driven already: a chain bends it twice, which sounds false. The clean signal
          serves better; a cabinet alone does no harm.
        </p>
      )}
      <SharedDriveBar part={part} />
      <ComingBar
        share={impulse.share}
        label="Bringing the impulse response"
        onStop={impulse.stop}
      />
      <div className="amp-columns">
        {voices.map((voice, n) => (
          <div key={voice.id} className="d-contents">
            <AmpColumn
              part={part}
              voice={voice}
              others={voices}
              onImpulses={(files) => void impulse.bring(files, voice)}
            />
            {n === 0 && first && last && first !== last && (
              <ChainsApartPanel part={part} first={first} second={last} />
            )}
          </div>
        ))}
        {voices.length === 0 && <p className="empty m-0">No voice: there is nothing to drive.</p>}
      </div>
      <OwnImpulses />
    </div>
  );
}

/** A voice without a chain is heard through the response alone. */
const cleanAmp = { ...usualAmp, driveDb: 0, squashPercent: 0 };

/** An impulse response on its way to the chain of a voice. */
function useImpulseComing(part: Part) {
  const open = useOpenSong();
  const { share, bring, stop } = useComing(forChain);
  const take = ({ recording }: KeptImpulse, voice: Voice) => {
    const { song } = open.session.store.getState();
    const own = open.keptPart(part.id)?.image.voices.find(({ id }) => id === voice.id);
    const amp = {
      ...(own?.amp ?? cleanAmp),
      cabinet: { impulse: recording.hash, keepDelay: true, levelled: true },
    };
    return open.do(`${voice.name}: impulse response ${recording.fileName}`, [
      ...puttingOf(song, recording),
      { kind: 'set-voice', partId: part.id, voiceId: voice.id, changes: { amp } },
    ]);
  };
  return {
    share,
    bring: (files: readonly File[], voice: Voice) =>
      bring(files, (kept) => take(kept, voice), 'A chain'),
    stop,
  };
}
