import { usualAmp } from '@pannet/core/amps/amp';
import type { Part } from '@pannet/core/song/song';
import type { Voice } from '@pannet/core/voices/voice';
import { useEffect, useRef, useState } from 'react';
import Button from 'react-bootstrap/Button';
import { sentenceOf } from '../api/request.ts';
import { Progress } from '../controls/Progress.tsx';
import { say } from '../controls/notices.ts';
import { keepImpulse } from '../importing/keep-impulse.ts';
import { useOpenSong, useRate, useRecordings } from '../session/open-song.ts';
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
      {impulse.share !== null && (
        <div className="d-flex align-items-center gap-2 px-2">
          <Progress
            share={impulse.share}
            label="Bringing the impulse response"
            className="flex-grow-1"
          />
          <Button size="sm" variant="outline-primary" onClick={impulse.stop}>
            Stop
          </Button>
        </div>
      )}
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
  const rateHz = useRate();
  const [share, setShare] = useState<number | null>(null);
  const coming = useRef<AbortController | null>(null);
  useEffect(() => () => coming.current?.abort(), []);
  const bring = async ([file, ...others]: readonly File[], voice: Voice) => {
    // A drop may carry nothing that is a file.
    if ((file as File | undefined) === undefined) return;
    const left = others.map(({ name }) => `“${name}”`).join(', ');
    coming.current?.abort();
    const stop = new AbortController();
    coming.current = stop;
    setShare(0);
    try {
      const kept = await keepImpulse(file, rateHz, stop.signal, setShare);
      if (stop.signal.aborted) return;
      if (!kept.ok) {
        say(kept.error.sentence);
        return;
      }
      const { recording, remark } = kept.value;
      const { song } = open.session.store.getState();
      const own = open.keptPart(part.id)?.image.voices.find(({ id }) => id === voice.id);
      const amp = {
        ...(own?.amp ?? cleanAmp),
        cabinet: { impulse: recording.hash, keepDelay: true, levelled: true },
      };
      const done = open.do(`${voice.name}: impulse response ${recording.fileName}`, [
        ...(Object.hasOwn(song.recordings, recording.hash)
          ? []
          : [{ kind: 'put-recording' as const, recording }]),
        { kind: 'set-voice', partId: part.id, voiceId: voice.id, changes: { amp } },
      ]);
      if (done) say(left === '' ? remark : `${remark} A chain has one: ${left} was not taken.`);
    } catch (error) {
      if (!stop.signal.aborted) say(`“${file.name}”: ${sentenceOf(error)}`);
    } finally {
      if (coming.current === stop) setShare(null);
    }
  };
  return { share, bring, stop: () => coming.current?.abort() };
}
