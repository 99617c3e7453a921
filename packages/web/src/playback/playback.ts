import { outputParameters } from '@pannet/core/parameters/tables';
import { db, dbToGain } from '@pannet/core/quantities/units';
import { compile } from '@pannet/core/rendering/compile';
import { plainMonitoring, type Monitoring } from '@pannet/core/rendering/monitor';
import type { RenderPlan } from '@pannet/core/rendering/plan';
import type { Loop } from '@pannet/core/rendering/player';
import { spliceNeeds, type SpliceNeed } from '@pannet/core/derived/splice-library';
import type { Song } from '@pannet/core/song/song';
import type { SplicePlan } from '@pannet/core/voices/splices';
import { createStore } from 'zustand/vanilla';
import type {
  FromFeeder,
  FromSplicer,
  FromWorklet,
  Recorded,
  Seen,
  ToSplicer,
  ToFeeder,
  ToWorklet,
} from './messages.ts';
import type { KnownSplices } from './prepared-song.ts';
import workletUrl from './player.worklet.ts?worker&url';

export interface PlaybackState {
  readonly state: Seen['state'];
  /** In frames. */
  readonly frame: number;
  readonly loop: Loop | null;
  readonly looping: boolean;
  readonly underruns: number;
  readonly monitoring: Monitoring;
  readonly output: OutputState;
  /** Voices that are heard alone, by part. */
  readonly soloVoices: Readonly<Record<string, readonly string[]>>;
  /** Tuned voices whose splices are being planned. */
  readonly preparing: number;
  /** Why nothing plays, if something is wrong. */
  readonly failure: string | null;
}

/** How loud and where it comes out. */
export interface OutputState {
  readonly levelDb: number;
  readonly dimmed: boolean;
  /** Empty for the browser's own. */
  readonly deviceId: string;
}

/** To talk over the music: common practice. */
const dimDb = -20;

/** Whether a coarse plan can be heard at a place for a second to come. */
function isCovered(plan: SplicePlan | undefined, frame: number, rateHz: number): boolean {
  return plan !== undefined && frame >= plan.starts[0] && frame < (plan.coarseTo ?? 0) - rateHz;
}

/** The song with all voices muted that are not heard, in parts where one is heard alone. */
function soloed(song: Song, soloVoices: PlaybackState['soloVoices']): Song {
  const parts = { ...song.parts };
  for (const [partId, ids] of Object.entries(soloVoices)) {
    const part = song.parts[partId];
    if (!part?.image.voices.some(({ id }) => ids.includes(id))) continue;
    const voices = part.image.voices.map((voice) =>
      ids.includes(voice.id) ? { ...voice, muted: false } : { ...voice, muted: true },
    );
    parts[partId] = { ...part, image: { ...part.image, voices } };
  }
  return { ...song, parts };
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
    output: { levelDb: 0, dimmed: false, deviceId: '' },
    soloVoices: {},
    preparing: 0,
    failure: null,
  }));
  readonly #splices = new Map<string, SplicePlan>();
  readonly #feeder = new Worker(new URL('./feeder.worker.ts', import.meta.url), { type: 'module' });
  readonly #splicer = new Worker(new URL('./splices.worker.ts', import.meta.url), {
    type: 'module',
  });
  /** What the splicer was last asked for. */
  #asked: ReadonlySet<string> = new Set();
  #askedAt = 0;
  readonly #seers = new Set<(seen: Seen) => void>();
  #song: Song | null = null;
  #plan: RenderPlan | null = null;
  #watched: string | null = null;
  #looks = 0;
  /** What was seen last, until the page draws. */
  #look: Seen | null = null;
  #context: AudioContext | null = null;
  #node: AudioWorkletNode | null = null;
  #starting: Promise<void> | null = null;
  #recorded: ((recorded: Recorded) => void) | null = null;

  constructor() {
    this.#feeder.onmessage = ({ data }: MessageEvent<FromFeeder>) => this.#fail(data.sentence);
    this.#splicer.onmessage = ({ data }: MessageEvent<FromSplicer>) => this.#hearSplicer(data);
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
    const heard = soloed(this.#song, this.store.getState().soloVoices);
    this.#plan = compile(heard, this.#splices, this.#plan);
    this.#refine(spliceNeeds(this.#song));
    this.#tell({ kind: 'plan', plan: this.#plan });
  }

  /** Asks for the splices that are not planned, or only round where it played. */
  #refine(needs: readonly SpliceNeed[]): void {
    const missing = needs.filter(({ key }) => {
      const plan = this.#splices.get(key);
      return !plan || plan.coarseTo !== undefined;
    });
    if (missing.length !== this.store.getState().preparing)
      this.store.setState({ preparing: missing.length });
    if (missing.every(({ key }) => this.#asked.has(key))) return;
    this.#splice(missing);
  }

  #splice(needs: readonly SpliceNeed[]): void {
    if (!this.#song) return;
    this.#asked = new Set(needs.map(({ key }) => key));
    const { recordings, rateHz } = this.#song;
    const { frame } = this.store.getState();
    this.#askedAt = frame;
    this.#tellSplicer({
      kind: 'job',
      recordings,
      rateHz: rateHz ?? 48_000,
      frame,
      needs,
    });
  }

  /** Elsewhere a plan that covers only a stretch is of no use: asks for another one there. */
  #splicesAt(frame: number): void {
    if (!this.#song || this.store.getState().preparing === 0) return;
    const coarse = spliceNeeds(this.#song).filter(
      ({ key }) => this.#splices.get(key)?.coarseTo !== undefined,
    );
    const away = coarse.some(({ key }) => !isCovered(this.#splices.get(key), frame, this.#rate));
    if (!away || Math.abs(frame - this.#askedAt) < this.#rate) return;
    this.store.setState({ frame });
    this.#splice(coarse);
  }

  get #rate(): number {
    return this.#plan?.rateHz ?? 48_000;
  }

  /** Plans of whole takes, for workers that would have to make them again. */
  wholeSplices(): KnownSplices {
    return [...this.#splices].filter(([, plan]) => plan.coarseTo === undefined);
  }

  /** Hears a voice alone, together with others that are, or no longer. */
  soloVoice(partId: string, voiceId: string): void {
    const { soloVoices } = this.store.getState();
    const before = soloVoices[partId] ?? [];
    const after = before.includes(voiceId)
      ? before.filter((id) => id !== voiceId)
      : [...before, voiceId];
    this.store.setState({ soloVoices: { ...soloVoices, [partId]: after } });
    this.#compile();
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
    this.#splicesAt(frame);
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

  setOutput(changes: Partial<Pick<OutputState, 'levelDb' | 'dimmed'>>): void {
    const output = { ...this.store.getState().output, ...changes };
    this.store.setState({ output });
    const lowest = outputParameters.levelDb.min;
    const whole = output.levelDb <= lowest ? 0 : dbToGain(db(output.levelDb));
    this.listen({ level: whole * (output.dimmed ? dbToGain(db(dimDb)) : 1) });
  }

  /** Sends the sound to another device; rejects where that cannot be had. */
  async setDevice(deviceId: string): Promise<void> {
    await this.#sink(deviceId);
    this.store.setState(({ output }) => ({ output: { ...output, deviceId } }));
  }

  /** Not in every browser. */
  async #sink(deviceId: string): Promise<void> {
    const context = this.#context as
      (AudioContext & { setSinkId?: (id: string) => Promise<void> }) | null;
    await context?.setSinkId?.(deviceId);
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
    const { deviceId } = this.store.getState().output;
    if (deviceId !== '') await this.#sink(deviceId).catch(() => this.setDevice(''));
    this.#node = node;
    const channel = new MessageChannel();
    this.#feeder.postMessage({ kind: 'worklet', port: channel.port1 } satisfies ToFeeder, [
      channel.port1,
    ]);
    node.port.postMessage({ kind: 'feeder', port: channel.port2 } satisfies ToWorklet, [
      channel.port2,
    ]);
    const splices = new MessageChannel();
    this.#tellSplicer({ kind: 'worklet', port: splices.port1 }, [splices.port1]);
    node.port.postMessage({ kind: 'splicer', port: splices.port2 } satisfies ToWorklet, [
      splices.port2,
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

  #tellSplicer(message: ToSplicer, transfer: Transferable[] = []): void {
    this.#splicer.postMessage(message, transfer);
  }

  #fail(failure: string): void {
    this.store.setState({ failure });
  }

  #hearSplicer(message: FromSplicer): void {
    if (message.kind === 'failed') {
      this.#fail(message.sentence);
      return;
    }
    this.#splices.set(message.key, message.splices);
    this.#compile();
  }

  #hearWorklet(message: FromWorklet): void {
    if (message.kind === 'recorded') {
      this.#recorded?.(message);
      this.#recorded = null;
      return;
    }
    const { state, frame, underruns } = message;
    const before = this.store.getState();
    if (state !== before.state || underruns !== before.underruns)
      this.store.setState({ state, frame, underruns });
    if (state === 'playing') this.#splicesAt(frame);
    // Of looks that come while the page is busy only the newest is drawn, with the sums of all.
    if (this.#look) for (const [n, sum] of this.#look.sums.entries()) message.sums[n] += sum;
    else requestAnimationFrame(() => this.#draw());
    this.#look = message;
  }

  #draw(): void {
    const look = this.#look;
    this.#look = null;
    if (!look) return;
    for (const seer of this.#seers) seer(look);
    // What React draws follows every second look.
    if (++this.#looks % 2 === 0) this.store.setState({ frame: look.frame });
  }

  close(): void {
    this.#feeder.terminate();
    this.#splicer.terminate();
    this.#node?.disconnect();
    void this.#context?.close();
  }
}
