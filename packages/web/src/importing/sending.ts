import type { Recording } from '@pannet/core/song/song';
import { uploadOriginal, uploadRecording } from '../api/recordings.ts';
import { mayPass, Refused, sentenceOf } from '../api/request.ts';

export interface ToSend {
  readonly recording: Recording;
  /** The recording itself. */
  readonly wav: File;
  /** What it was made from, or the same. */
  readonly file: File;
}

/** Told how far it is, and why it is tried again. */
type Tell = (share: number, because?: string) => void;

const firstWaitMs = 1000;
const longestWaitMs = 10_000;

const changed = 'it was changed or moved while it was sent.';

function isReadable(file: File): Promise<boolean> {
  return file
    .slice(0, 1)
    .arrayBuffer()
    .then(
      () => true,
      () => false,
    );
}

/**
 * Sends a recording, and before it what it was made from; again, a little later each time, for as long as that may help.
 * Throws an AbortError when stopped, and what the server says where it will not have it.
 * @param signedOut told when the server wants to know who asks
 */
export async function sendRecording(
  { recording, wav, file }: ToSend,
  signal: AbortSignal,
  tell: Tell,
  signedOut: () => void,
): Promise<void> {
  const all = wav.size + (recording.original ? file.size : 0);
  let sent = 0;
  for (let wait = firstWaitMs; ; wait = Math.min(2 * wait, longestWaitMs)) {
    try {
      signal.throwIfAborted();
      if (recording.original && sent === 0) {
        await uploadOriginal(file, signal, (share) => tell((share * file.size) / all));
        sent = file.size;
      }
      const { hash } = await uploadRecording(wav, signal, (share) =>
        tell((sent + share * wav.size) / all),
      );
      if (hash !== recording.hash) throw new Error(changed);
      return;
    } catch (error) {
      const signedOutNow = error instanceof Refused && error.status === 401;
      if (!signedOutNow && !mayPass(error)) throw error;
      // A file that is gone from where it was looks like a server that is.
      if (!(await isReadable(wav)) || !(await isReadable(file))) throw new Error(changed);
      if (signedOutNow) signedOut();
      tell(sent / all, sentenceOf(error));
      await pause(wait, signal);
    }
  }
}

function pause(ms: number, signal: AbortSignal): Promise<void> {
  return new Promise((resolve, reject) => {
    const stop = () => {
      clearTimeout(timer);
      reject(new DOMException('Stopped.', 'AbortError'));
    };
    const timer = setTimeout(() => {
      signal.removeEventListener('abort', stop);
      resolve();
    }, ms);
    if (signal.aborted) stop();
    else signal.addEventListener('abort', stop, { once: true });
  });
}
