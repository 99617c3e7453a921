import type { Recording } from '@pannet/core/song/song';
import { refusal, ServerLost } from './request.ts';

export const rangesPath = '/api/recordings/ranges';

/**
 * Uploads a file by stream; fetch cannot tell how far an upload has come, so this is the older request.
 * @param signal stops it
 * @param progress told the share sent, 0 to 1
 */
export function uploadRecording(
  file: File,
  signal: AbortSignal,
  progress: (share: number) => void,
): Promise<Recording> {
  const path = `/api/recordings?fileName=${encodeURIComponent(file.name)}`;
  return upload<Recording>(path, file, signal, progress);
}

/** Keeps a file that another one was converted from, as it is. */
export function uploadOriginal(
  file: File,
  signal: AbortSignal,
  progress: (share: number) => void,
): Promise<{ hash: string }> {
  return upload<{ hash: string }>('/api/recordings/originals', file, signal, progress);
}

export const audioPath = (hash: string) => `/api/recordings/${hash}/audio`;

function upload<Answer>(
  path: string,
  file: File,
  signal: AbortSignal,
  progress: (share: number) => void,
): Promise<Answer> {
  return new Promise((resolve, reject) => {
    const upload = new XMLHttpRequest();
    upload.open('POST', path);
    upload.setRequestHeader('Content-Type', 'application/octet-stream');
    upload.upload.onprogress = (event) => progress(event.loaded / Math.max(1, event.total));
    upload.onload = () => {
      const { status, responseText } = upload;
      if (status >= 300) reject(refusal(status, responseText));
      else answerOf<Answer>(responseText).then(resolve, reject);
    };
    upload.onerror = () => reject(new ServerLost());
    upload.onabort = () => reject(new DOMException('Stopped.', 'AbortError'));
    signal.addEventListener('abort', () => upload.abort(), { once: true });
    upload.send(file);
  });
}

/** What both kinds of upload answer with, at least. */
async function answerOf<Answer>(text: string): Promise<Answer> {
  const answer: unknown = await Promise.resolve(text)
    .then(JSON.parse)
    .catch(() => null);
  if (typeof (answer as { hash?: unknown } | null)?.hash === 'string') return answer as Answer;
  throw new ServerLost('The server answered something that is not understood here.');
}
