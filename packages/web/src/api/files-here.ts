/**
 * Recordings that the server does not have yet are read from the files that they are: the page that has one gives it to
 * whatever of this browser reads recordings, on a channel.
 */
type Said =
  | { readonly kind: 'wanted'; readonly hash: string }
  | { readonly kind: 'here'; readonly hash: string; readonly file: Blob }
  /** No longer on its way: the server has it, or never will. */
  | { readonly kind: 'sent'; readonly hash: string };

/** So long an answer is waited for: the page that has the file may be busy. */
const patienceMs = 3000;
/** And so long another page's, once one has said that it is on its way from there no longer. */
const briefMs = 100;

interface Here {
  readonly file: Blob;
  /** Settles when it is sent, or will not be. */
  readonly sent: Promise<unknown>;
}

/** Of this page, by their hashes. */
const here = new Map<string, Here>();
/** What is no longer on its way from this page, by its hash. */
const gone = new Set<string>();
/** Of others, as far as they were asked for. */
const found = new Map<string, Blob>();
const asked = new Map<string, Promise<Blob | null>>();
const answers = new Map<string, (file: Blob | null) => void>();
let channel: BroadcastChannel | undefined;

/** Listens from now on. */
function listening(): BroadcastChannel {
  if (!channel) {
    channel = new BroadcastChannel('pannet.files-here');
    channel.onmessage = ({ data }: MessageEvent<Said>) => hear(data);
  }
  return channel;
}

const say = (said: Said) => listening().postMessage(said);

function hear(said: Said): void {
  const { kind, hash } = said;
  const own = here.get(hash);
  if (kind === 'here') answers.get(hash)?.(said.file);
  else if (kind === 'sent') {
    found.delete(hash);
    answers.get(hash)?.(null);
  } else if (own) say({ kind: 'here', hash, file: own.file });
  // Whoever asks was told by the server that it lacks it, and it came there before this question came here.
  else if (gone.has(hash)) say({ kind: 'sent', hash });
}

/** The only copy of what is not sent is where it came from. */
const warn = (event: BeforeUnloadEvent) => event.preventDefault();

/** Gives a file to whoever wants this recording, for as long as it is on its way to the server. */
export function keepHere(hash: string, file: Blob, sent: Promise<unknown>): void {
  if (here.size === 0) addEventListener('beforeunload', warn);
  here.set(hash, { file, sent });
  gone.delete(hash);
  listening();
  const leave = () => {
    here.delete(hash);
    gone.add(hash);
    if (here.size === 0) removeEventListener('beforeunload', warn);
    say({ kind: 'sent', hash });
  };
  sent.then(leave, leave);
}

/** How this page's sending of a recording ends; undefined where it sends none. */
export const sendingOf = (hash: string): Promise<unknown> | undefined => here.get(hash)?.sent;

/** A file that is known to be here. */
export const fileHere = (hash: string): Blob | undefined => here.get(hash)?.file ?? found.get(hash);

/** For whom the server lacks a recording: the file that it is, where a page of this browser has it; null where none has, or has no longer. */
export function findFileHere(hash: string): Promise<Blob | null> {
  const asking =
    asked.get(hash) ??
    new Promise<Blob | null>((resolve) => {
      const nobody = () => resolve(null);
      let timer = setTimeout(nobody, gone.has(hash) ? briefMs : patienceMs);
      answers.set(hash, (file) => {
        clearTimeout(timer);
        if (file === null) {
          timer = setTimeout(nobody, briefMs);
          return;
        }
        found.set(hash, file);
        resolve(file);
      });
      say({ kind: 'wanted', hash });
    }).finally(() => {
      asked.delete(hash);
      answers.delete(hash);
    });
  asked.set(hash, asking);
  return asking;
}

/** A file that can no longer be read where it was. */
export function lostHere(hash: string): void {
  found.delete(hash);
}
