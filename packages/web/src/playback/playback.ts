import { compile } from '@pannet/core/rendering/compile';
import { plainMonitoring, type Monitoring } from '@pannet/core/rendering/monitor';
import type { RenderPlan } from '@pannet/core/rendering/plan';
import type { Loop } from '@pannet/core/rendering/player';
import { spliceNeeds } from '@pannet/core/derived/splice-library';
import type { Song } from '@pannet/core/song/song';
import type { SplicePlan } from '@pannet/core/voices/splices';
import { createStore } from 'zustand/vanilla';
import type { FromFeeder, FromWorklet, Recorded, Seen, ToFeeder, ToWorklet } from './messages.ts';
import workletUrl from './player.worklet.ts?worker&url';

export interface PlaybackState {
  readonly state: Seen['state'];
  /** In frames. */
  readonly frame: number;
  readonly loop: Loop | null;
  readonly looping: boolean;
  readonly underruns: number;
  readonly monitoring: Monitoring;
  /** Tuned voices whose splices are being planned. */
  readonly preparing: number;
  /** Why nothing plays, if something is wrong. */
  readonly failure: string | null;
}

/** Plays a song: owns the audio context, the worklet and the feeder. One for each open song. */
export class Playback {
  readonly store = createStore<PlaybackState>(() => ({
    state: 'stopped',
    frame: 0,
    loop: null,
    looping: false,
    underruns: 0,
    monitoring: plainMonitoring,
    preparing: 0,
    failure: null,
  }));
  readonly #splices = new Map<string, SplicePlan>();
  readonly #feeder = new Worker(new URL('./feeder.worker.ts', import.meta.url), { type: 'module' });
  readonly #seers = new Set<(seen: Seen) => void>();
  #song: Song | null = null;
  #plan: RenderPlan | null = null;
  #watched: string | null = null;
  #context: AudioContext | null = null;
  #node: AudioWorkletNode | null = null;
  #starting: Promise<void> | null = null;
  #recorded: ((recorded: Recorded) => void) | null = null;

  constructor() {
    this.#feeder.onmessage = (event: MessageEvent<FromFeeder>) => this.#hearFeeder(event.data);
  }

  get plan(): RenderPlan | null {
    return this.#plan;
  }

  /** Takes up a changed song; what differs glides. */
  setSong(song: Song): void {
    if (song === this.#song) return;
    this.#song = song;
    this.#tellFeeder({ kind: 'song', song });
    this.#compile();
  }

  #compile(): void {
    if (!this.#song) return;
    this.#plan = compile(this.#song, this.#splices, this.#plan);
    const preparing = spliceNeeds(this.#song).filter((need) => !this.#splices.has(need.key)).length;
    if (preparing !== this.store.getState().preparing) this.store.setState({ preparing });
    this.#tell({ kind: 'plan', plan: this.#plan });
  }

  watch(partId: string | null): void {
    this.#watched = partId;
    this.#tell({ kind: 'watch', partId });
  }

  async play(): Promise<void> {
    await this.#start();
    this.#tell({ kind: 'play' });
  }

  stop(): void {
    this.#tell({ kind: 'stop' });
  }

  async toggle(): Promise<void> {
    if (this.store.getState().state === 'stopped') await this.play();
    else this.stop();
  }

  seek(frame: number): void {
    this.store.setState({ frame });
    this.#tell({ kind: 'seek', frame });
  }

  setLoop(loop: Loop | null, looping: boolean): void {
    this.store.setState({ loop, looping: looping && loop !== null });
    this.#tell({ kind: 'loop', loop: looping ? loop : null });
  }

  listen(changes: Partial<Monitoring>): void {
    const monitoring = { ...this.store.getState().monitoring, ...changes };
    this.store.setState({ monitoring });
    this.#tell({ kind: 'monitoring', monitoring });
  }

  /** Is called with all that the worklet shows; returns how to end that. */
  onSeen(seer: (seen: Seen) => void): () => void {
    this.#seers.add(seer);
    return () => this.#seers.delete(seer);
  }

  /**
   * Collects what plays, from the next frame that sounds on: the watched part as it would be exported, or all as it is
   * heard.
   */
  record(what: 'part' | 'heard', frames: number): Promise<Recorded> {
    this.#tell({ kind: 'record', what, frames });
    return new Promise((resolve) => (this.#recorded = resolve));
  }

  /** A browser only lets sound begin with a press or a key, so the context is made at the first play. */
  async #start(): Promise<void> {
    this.#starting ??= this.#open().catch((error: unknown) => {
      this.#starting = null;
      this.store.setState({
        failure: `The browser did not give an audio output: ${error instanceof Error ? error.message : String(error)}`,
      });
      throw error;
    });
    await this.#starting;
    await this.#context?.resume();
  }

  async #open(): Promise<void> {
    const context = new AudioContext({ sampleRate: this.#plan?.rateHz ?? 48_000 });
    await context.audioWorklet.addModule(workletUrl);
    const node = new AudioWorkletNode(context, 'pannet-player', {
      numberOfInputs: 0,
      numberOfOutputs: 2,
      outputChannelCount: [2, 2],
    });
    node.port.onmessage = (event: MessageEvent<FromWorklet>) => this.#hearWorklet(event.data);
    node.connect(context.destination, 0);
    this.#context = context;
    this.#node = node;
    const channel = new MessageChannel();
    this.#feeder.postMessage({ kind: 'worklet', port: channel.port1 } satisfies ToFeeder, [
      channel.port1,
    ]);
    node.port.postMessage({ kind: 'feeder', port: channel.port2 } satisfies ToWorklet, [
      channel.port2,
    ]);
    const { monitoring, frame, loop, looping } = this.store.getState();
    if (this.#plan) this.#tell({ kind: 'plan', plan: this.#plan });
    this.#tell({ kind: 'monitoring', monitoring });
    this.#tell({ kind: 'watch', partId: this.#watched });
    this.#tell({ kind: 'seek', frame });
    this.#tell({ kind: 'loop', loop: looping ? loop : null });
  }

  #tell(message: ToWorklet): void {
    this.#node?.port.postMessage(message);
  }

  #tellFeeder(message: ToFeeder): void {
    this.#feeder.postMessage(message);
  }

  #hearFeeder(message: FromFeeder): void {
    if (message.kind === 'failed') {
      this.store.setState({ failure: message.sentence });
    } else {
      this.#splices.set(message.key, message.splices);
      this.#compile();
    }
  }

  #hearWorklet(message: FromWorklet): void {
    if (message.kind === 'recorded') {
      this.#recorded?.(message);
      this.#recorded = null;
      return;
    }
    const { state, frame, underruns } = message;
    this.store.setState({ state, frame, underruns });
    for (const seer of this.#seers) seer(message);
  }

  close(): void {
    this.#feeder.terminate();
    this.#node?.disconnect();
    void this.#context?.close();
  }
}
