/** How often it is asked whether another window has changed the song; less often where this one is not seen. */
const seenMs = 2000;
const hiddenMs = 15_000;

/** Looks again and again, each time some seconds after the last look has ended. */
export class Following {
  readonly #look: () => Promise<void>;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #stopped = false;

  constructor(look: () => Promise<void>) {
    this.#look = look;
  }

  start(): void {
    if (this.#stopped) return;
    const isSeen = document.visibilityState !== 'hidden';
    this.#timer = setTimeout(
      () => void this.#look().finally(() => this.start()),
      isSeen ? seenMs : hiddenMs,
    );
  }

  stop(): void {
    this.#stopped = true;
    clearTimeout(this.#timer);
  }
}
