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
  return new Promise((resolve, reject) => {
    const upload = new XMLHttpRequest();
    upload.open('POST', `/api/recordings?fileName=${encodeURIComponent(file.name)}`);
    upload.setRequestHeader('Content-Type', 'application/octet-stream');
    upload.upload.onprogress = (event) => progress(event.loaded / Math.max(1, event.total));
    upload.onload = () =>
      upload.status < 300
        ? resolve(JSON.parse(upload.responseText) as Recording)
        : reject(refusal(upload.status, upload.responseText));
    upload.onerror = () => reject(new ServerLost());
    upload.onabort = () => reject(new DOMException('Stopped.', 'AbortError'));
    signal.addEventListener('abort', () => upload.abort(), { once: true });
    upload.send(file);
  });
}
