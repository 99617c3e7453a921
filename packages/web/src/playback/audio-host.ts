import type { ToWorklet } from './messages.ts';

/**
 * The life of a host: it opens; it waits for a press or a key, without which a browser lets nothing sound; it runs; it is
 * closed, and never anything else again.
 */
export type HostState = 'opening' | 'waiting' | 'running' | 'closed';

type Sinking = AudioContext & { setSinkId?: (id: string) => Promise<void> };

/** An audio output at one rate, with the worklet in it. A song of another rate never plays in it. */
export class AudioHost {
  readonly rateHz: number;
  #state: HostState = 'opening';
  #context: Sinking | null = null;
  readonly #node: Promise<AudioWorkletNode>;

  /** @param workletUrl of the worklet's module */
  constructor(rateHz: number, workletUrl: string) {
    this.rateHz = rateHz;
    this.#node = this.#open(workletUrl);
    // Whoever waits for it hears of it; nobody may be waiting yet.
    this.#node.catch(() => {});
  }

  get state(): HostState {
    return this.#state;
  }

  async #open(workletUrl: string): Promise<AudioWorkletNode> {
    const context: Sinking = new AudioContext({ sampleRate: this.rateHz });
    this.#context = context;
    try {
      await context.audioWorklet.addModule(workletUrl);
      // It may have been closed while its module came.
      if (this.#isClosed) throw new Error('The output was closed.');
      const node = new AudioWorkletNode(context, 'pannet-player', {
        numberOfInputs: 0,
        numberOfOutputs: 2,
        outputChannelCount: [2, 2],
      });
      node.connect(context.destination, 0);
      this.#state = 'waiting';
      return node;
    } catch (error) {
      this.close();
      throw error;
    }
  }

  get #isClosed(): boolean {
    return this.#state === 'closed';
  }

  /** The worklet's node, once it is there. Rejects where the browser gives no output. */
  node(): Promise<AudioWorkletNode> {
    return this.#node;
  }

  /** Lets it sound; resolves when it does, which takes a press or a key. Rejects where the browser refuses. */
  async resume(): Promise<void> {
    await this.#node;
    if (this.#isClosed) throw new Error('The output was closed.');
    await this.#context?.resume();
    if (!this.#isClosed) this.#state = 'running';
  }

  /** Sends the sound to another device; not in every browser. Rejects where that cannot be had. */
  async setDevice(deviceId: string): Promise<void> {
    await this.#context?.setSinkId?.(deviceId);
  }

  close(): void {
    if (this.#isClosed) return;
    this.#state = 'closed';
    void this.#node.then((node) => node.disconnect()).catch(() => {});
    void this.#context?.close().catch(() => {});
  }
}

/** Posts to a node with a port that goes with it. */
export function handPort(
  node: AudioWorkletNode,
  kind: 'feeder' | 'splicer',
  port: MessagePort,
): void {
  node.port.postMessage({ kind, port } satisfies ToWorklet, [port]);
}
