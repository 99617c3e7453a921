import { outputParameters } from '@pannet/core/parameters/tables';
import { db, dbToGain } from '@pannet/core/quantities/units';
import { compile } from '@pannet/core/rendering/compile';
import { plainMonitoring, type Monitoring } from '@pannet/core/rendering/monitor';
import type { PlanGraph, RenderPlan } from '@pannet/core/rendering/plan';
import { PlanSender } from '@pannet/core/rendering/plan-change';
import type { Loop } from '@pannet/core/rendering/player';
import { spliceNeeds, type SpliceNeed } from '@pannet/core/derived/splice-library';
import { thawed } from '@pannet/core/song/frozen';
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
import { AudioHost, handPort } from './audio-host.ts';
import { SpliceCache, type KnownSplices } from './known-splices.ts';
import { VocodedFirst } from './vocoded-first.ts';
import { Responses } from './responses.ts';
import { ToldSources } from './told-sources.ts';
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
  /** Whether a new tuning is being brought to sound. */
  readonly tuning: boolean;
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
  let any = false;
  for (const [partId, ids] of Object.entries(soloVoices)) {
    const part = song.parts[partId];
    if (!part?.image.voices.some(({ id }) => ids.includes(id))) continue;
    any = true;
    const voices = part.image.voices.map((voice) =>
      ids.includes(voice.id) ? { ...voice, muted: false } : { ...voice, muted: true },
    );
    parts[partId] = { ...part, image: { ...part.image, voices } };
  }
  return any ? { ...song, parts } : song;
}

/** Whether not all of it is listened to as it is exported: something alone, plain, or at a level that is held. */
function isApart({ solo, plain, image }: Monitoring): boolean {
  return solo.length > 0 || [plain, image].some((gains) => Object.keys(gains).length > 0);
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
    tuning: false,
    failure: null,
  }));
  readonly #splices = new SpliceCache();
  readonly responses = new Responses(() => this.#compile());
  readonly #feeder = new Worker(new URL('./feeder.worker.ts', import.meta.url), { type: 'module' });
  readonly #splicer = new Worker(new URL('./splices.worker.ts', import.meta.url), {
    type: 'module',
  });
  /** What the splicer was last asked for. */
  #asked = new Set<string>();
  #askedAt = 0;
  readonly #seers = new Set<(seen: Seen) => void>();
  #song: Song | null = null;
  /** Of the song as it is: what predictions and figures speak of. */
  #plan: RenderPlan | null = null;
  /** Of what is heard: the same one, but where voices are heard alone. */
  #heard: RenderPlan | null = null;
  /** The same, with what stands in for a moment. */
  #sounding: PlanGraph | null = null;
  readonly #vocodedFirst = new VocodedFirst(() => this.#sound());
  #sender = new PlanSender();
  #planWaits = false;
  /** What the feeder was told of. */
  readonly #told = new ToldSources();
  #watched: string | null = null;
  #looks = 0;
  /** Where it plays, as was heard last; what is drawn follows later. */
  #frame = 0;
  /** What was seen last, until the page draws. */
  #look: Seen | null = null;
  #host: AudioHost | null = null;
  #node: AudioWorkletNode | null = null;
  /** What is to be collected, and who waits for it: perhaps before there is an output that could. */
  #recorded: {
    readonly asked: ToWorklet;
    readonly resolve: (recorded: Recorded) => void;
  } | null = null;

  constructor() {
    this.#feeder.onmessage = ({ data }: MessageEvent<FromFeeder>) => this.#fail(data.sentence);
    this.#splicer.onmessage = ({ data }: MessageEvent<FromSplicer>) => this.#hearSplicer(data);
    const broken = (event: ErrorEvent) =>
      this.#fail(`Playing has stopped: ${event.message || 'a worker ended'}. Load the page anew.`);
    this.#feeder.onerror = broken;
    this.#splicer.onerror = broken;
  }

  get plan(): RenderPlan | null {
    return this.#plan;
  }

  /** Takes up a changed song; what differs glides. */
  setSong(song: Song): void {
    if (song === this.#song) return;
    this.#song = song;
    // Nothing of one rate is ever played at another.
    if (this.#host && this.#host.rateHz !== song.rateHz) this.#closeHost();
    this.#compile();
  }

  #compile(): void {
    if (!this.#song) return;
    this.#plan = compile(this.#song, this.#splices, this.#plan, this.responses);
    const { soloVoices, monitoring } = this.store.getState();
    const alone = soloed(this.#song, soloVoices);
    const heard = alone !== this.#song || isApart(monitoring) ? thawed(alone) : alone;
    this.#heard =
      heard === this.#song
        ? this.#plan
        : compile(heard, this.#splices, this.#heard, this.responses);
    this.responses.want(this.#song);
    const needs = spliceNeeds(this.#song);
    const forgotten = this.#splices.trim(new Set(needs.map(({ key }) => key)));
    for (const key of forgotten) this.#asked.delete(key);
    if (forgotten.length > 0) this.#tellSplicer({ kind: 'forget', keys: forgotten });
    this.#refine(needs);
    this.#sound();
  }

  /** Has the feeder make what is to be heard, and the worklet go over to it. */
  #sound(): void {
    if (!this.#song || !this.#heard) return;
    const { state } = this.store.getState();
    this.#sounding = this.#vocodedFirst.of(this.#heard, state === 'playing' ? this.#frame : null);
    const told = this.#told.change(this.#sounding, this.#song.recordings);
    if (told) this.#tellFeeder(told);
    // What is drawn of it comes first where a key was pressed: too late for what is to be heard at once, and that waits where it plays for what is told meanwhile.
    if (this.#vocodedFirst.began) this.#sendPlan();
    else this.#tellPlan();
    const tuning = this.#vocodedFirst.begins;
    if (tuning !== this.store.getState().tuning) this.store.setState({ tuning });
  }

  /** How a changed song is listened to is often changed in the same breath: both are told at once. */
  #tellPlan(): void {
    if (this.#planWaits) return;
    this.#planWaits = true;
    queueMicrotask(() => {
      this.#planWaits = false;
      this.#sendPlan();
    });
  }

  #sendPlan(): void {
    if (!this.#node || !this.#sounding) return;
    const { monitoring } = this.store.getState();
    this.#tell({ kind: 'plan', change: this.#sender.change(this.#sounding), monitoring });
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

  /** Plans of whole takes that these parts of a song need, for workers that would have to make them again. */
  wholeSplices(song: Song, partIds: readonly string[] = song.partOrder): KnownSplices {
    const needs = spliceNeeds({ ...song, partOrder: partIds.filter((id) => song.parts[id]) });
    return this.#splices.whole(needs.map(({ key }) => key));
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

  /** Plays, if there is anything to play; what the browser refuses is said. */
  async play(): Promise<void> {
    // What has no rate yet has no sound; an output of a guessed rate would play the first file wrong.
    if (!this.#song?.rateHz) return;
    const host = this.#openHost(this.#song.rateHz);
    try {
      await host.resume();
    } catch (error) {
      if (this.#host !== host) return;
      this.#closeHost();
      const why = error instanceof Error ? error.message : String(error);
      this.#fail(`The browser gave no audio output: ${why}. Press play to try again.`);
      return;
    }
    if (this.#host !== host) return;
    this.store.setState({ failure: null });
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
    this.#frame = frame;
    this.store.setState({ frame });
    this.#splicesAt(frame);
    this.#tell({ kind: 'seek', frame });
  }

  setLoop(loop: Loop | null, looping: boolean): void {
    this.store.setState({ loop, looping: looping && loop !== null });
    this.#tell({ kind: 'loop', loop: looping ? loop : null });
  }

  listen(changes: Partial<Monitoring>): void {
    const before = this.store.getState().monitoring;
    const monitoring = { ...before, ...changes };
    this.store.setState({ monitoring });
    // What is frozen was rendered of all that sounds.
    const freed = this.#song !== null && thawed(this.#song) !== this.#song;
    if (freed && isApart(monitoring) !== isApart(before)) this.#compile();
    if (!this.#planWaits) this.#tell({ kind: 'monitoring', monitoring });
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
    await this.#host?.setDevice(deviceId);
    this.store.setState(({ output }) => ({ output: { ...output, deviceId } }));
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
    const asked = { kind: 'record', what, frames } as const;
    this.#tell(asked);
    return new Promise((resolve) => (this.#recorded = { asked, resolve }));
  }

  /** A browser only lets sound begin with a press or a key, so the output is opened at the first play. */
  #openHost(rateHz: number): AudioHost {
    if (this.#host) return this.#host;
    const host = new AudioHost(rateHz, workletUrl);
    this.#host = host;
    void host
      .node()
      .then((node) => {
        if (this.#host === host) this.#connect(host, node);
      })
      // Who plays hears of it.
      .catch(() => {});
    return host;
  }

  #closeHost(): void {
    this.#host?.close();
    this.#host = null;
    this.#node = null;
    this.store.setState({ state: 'stopped' });
  }

  #connect(host: AudioHost, node: AudioWorkletNode): void {
    node.port.onmessage = (event: MessageEvent<FromWorklet>) => this.#hearWorklet(event.data);
    node.onprocessorerror = () => {
      this.#closeHost();
      this.#fail('Playing has stopped: the engine ended. Press play to begin anew.');
    };
    this.#node = node;
    this.#sender = new PlanSender();
    const { deviceId } = this.store.getState().output;
    if (deviceId !== '') void host.setDevice(deviceId).catch(() => this.setDevice(''));
    const feeding = new MessageChannel();
    this.#feeder.postMessage({ kind: 'worklet', port: feeding.port1 } satisfies ToFeeder, [
      feeding.port1,
    ]);
    handPort(node, 'feeder', feeding.port2);
    const splicing = new MessageChannel();
    this.#tellSplicer({ kind: 'worklet', port: splicing.port1 }, [splicing.port1]);
    handPort(node, 'splicer', splicing.port2);
    const { frame, loop, looping } = this.store.getState();
    this.#sendPlan();
    this.#tell({ kind: 'watch', partId: this.#watched });
    this.#tell({ kind: 'seek', frame });
    this.#tell({ kind: 'loop', loop: looping ? loop : null });
    if (this.#recorded) this.#tell(this.#recorded.asked);
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
      this.#recorded?.resolve(message);
      this.#recorded = null;
      return;
    }
    const { state, frame, underruns } = message;
    this.#frame = frame;
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
    this.responses.close();
    this.#vocodedFirst.close();
    this.#closeHost();
  }
}
