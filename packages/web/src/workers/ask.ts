/** What a worker says to one request: how far it has come, and then its answer, or in a sentence why there is none. */
export type Told<Answer, Progress> =
  | { readonly kind: 'progress'; readonly progress: Progress }
  | { readonly kind: 'answer'; readonly answer: Answer }
  | { readonly kind: 'failure'; readonly sentence: string };

export interface Asking<Progress> {
  /** Ends the worker; the promise rejects with an AbortError. */
  readonly signal?: AbortSignal;
  readonly progress?: (progress: Progress) => void;
  readonly transfer?: Transferable[];
}

/** A worker of one request: what it is asked, what it answers, and how it tells how far it is. */
export interface Question<Request, Answer, Progress = number> {
  readonly start: () => Worker;
  /** Only for their types. */
  readonly types?: (request: Request, answer: Answer, progress: Progress) => void;
}

/** Names the types that a worker's file and whoever asks it share. */
export function question<Request, Answer, Progress = number>(
  start: () => Worker,
): Question<Request, Answer, Progress> {
  return { start };
}

/**
 * Asks a worker of its own, which ends with its answer. Rejects with the worker's sentence, with what ended it, or with an
 * AbortError when it is stopped.
 */
export function ask<Request, Answer, Progress>(
  { start }: Question<Request, Answer, Progress>,
  request: Request,
  { signal, progress, transfer = [] }: Asking<Progress> = {},
): Promise<Answer> {
  const worker = start();
  return new Promise<Answer>((resolve, reject) => {
    const stop = () => {
      worker.terminate();
      reject(new DOMException('Stopped.', 'AbortError'));
    };
    if (signal?.aborted) {
      stop();
      return;
    }
    signal?.addEventListener('abort', stop, { once: true });
    worker.onerror = (event) => reject(new Error(event.message || 'A worker ended unexpectedly.'));
    worker.onmessageerror = () => reject(new Error('What a worker said could not be read.'));
    worker.onmessage = ({ data }: MessageEvent<Told<Answer, Progress>>) => {
      if (data.kind === 'progress') progress?.(data.progress);
      else if (data.kind === 'answer') resolve(data.answer);
      else reject(new Error(data.sentence));
    };
    worker.postMessage(request, transfer);
  }).finally(() => worker.terminate());
}

export function wasStopped(error: unknown): boolean {
  return error instanceof DOMException && error.name === 'AbortError';
}

/** Progress that is a share is told no more often than this. */
const tellEveryMs = 100;

/** In a worker: answers the request that comes. What is thrown is said. */
export function answer<Request, Answer, Progress = number>(
  respond: (
    request: Request,
    tell: (progress: Progress, transfer?: Transferable[]) => void,
  ) => Promise<Answer>,
): void {
  const post = (told: Told<Answer, Progress>, transfer: Transferable[] = []) =>
    postMessage(told, { transfer });
  onmessage = ({ data }: MessageEvent<Request>) => {
    respond(data, (progress, transfer) => post({ kind: 'progress', progress }, transfer))
      .then((result) => post({ kind: 'answer', answer: result }))
      .catch((error: unknown) =>
        post({
          kind: 'failure',
          sentence: error instanceof Error ? error.message : String(error),
        }),
      );
  };
}

/** Tells a share now and then, however often it is called. */
export function seldom(tell: (share: number) => void): (share: number) => void {
  let told = -Infinity;
  return (share) => {
    if (performance.now() - told < tellEveryMs) return;
    told = performance.now();
    tell(share);
  };
}
