import { PlanReceiver } from '@pannet/core/rendering/plan-change';
import { Player } from '@pannet/core/rendering/player';
import { movingTable } from '@pannet/core/signal/sinc';
import { BlockStore } from '@pannet/core/sources/blocks';
import type {
  FeederToWorklet,
  PlannedSplices,
  Recorded,
  Seen,
  ToWorklet,
  Whereabouts,
} from './messages.ts';

const showEverySeconds = 1 / 60;

// Some 60 ms of work: done as the module comes, never in a quantum.
movingTable();

/** A thin adapter: messages in, the player's blocks out. The first output is heard; the second is the watched part alone. */
class PannetProcessor extends AudioWorkletProcessor {
  readonly #store = new BlockStore();
  readonly #player = new Player(sampleRate, this.#store);
  readonly #plans = new PlanReceiver();
  #feeder: MessagePort | null = null;
  #nextShow = 0;
  /** In the block that was made last. */
  #missed = 0;
  #recording: (Recorded & { what: 'part' | 'heard'; at: number; before: number }) | null = null;
  readonly #spare = [new Float32Array(4096), new Float32Array(4096)] as const;

  constructor() {
    super();
    this.port.onmessage = (event: MessageEvent<ToWorklet>) => this.#obey(event.data);
  }

  #obey(message: ToWorklet): void {
    const player = this.#player;
    switch (message.kind) {
      case 'plan':
        // Together: no quantum lies between a state and what makes it as loud as the others.
        player.aim(this.#plans.take(message.change));
        player.listen(message.monitoring);
        break;
      case 'monitoring':
        player.listen(message.monitoring);
        break;
      case 'play':
        player.play();
        break;
      case 'stop':
        player.stop();
        break;
      case 'seek':
        player.seek(message.frame);
        break;
      case 'loop':
        player.loop = message.loop;
        break;
      case 'watch':
        player.watched = message.partId;
        break;
      case 'record':
        this.#recording = {
          kind: 'recorded',
          what: message.what,
          at: 0,
          dropouts: 0,
          before: player.underruns,
          frame: player.position,
          left: new Float32Array(message.frames),
          right: new Float32Array(message.frames),
        };
        break;
      case 'feeder':
        this.#feeder = message.port;
        this.#feeder.onmessage = (event: MessageEvent<FeederToWorklet>) => this.#take(event.data);
        break;
      case 'splicer':
        message.port.onmessage = ({ data }: MessageEvent<PlannedSplices>) => {
          player.tune(data.key, data.splices);
          this.#tellFeeder();
        };
        break;
    }
    this.#tellFeeder();
  }

  #take(message: FeederToWorklet): void {
    if (message.kind === 'block') {
      this.#store.put(message.key, message.index, message.block);
      this.#player.supplied();
    } else
      this.#store.retain(
        (key, index) =>
          this.#player.sounds(key, index) || (message.keep[key]?.includes(index) ?? false),
      );
  }

  #tellFeeder(): void {
    const { position: frame, loop, reach, heardKeys: heard } = this.#player;
    this.#feeder?.postMessage({ frame, loop, reach, heard } satisfies Whereabouts);
  }

  process(_: Float32Array[][], outputs: Float32Array[][]): boolean {
    const [[left, right], tap] = outputs;
    const tapLeft = tap[0] ?? this.#spare[0];
    const tapRight = tap[1] ?? this.#spare[1];
    const before = this.#player.position;
    const underruns = this.#player.underruns;
    this.#player.process(left, right, tapLeft, tapRight, left.length);
    this.#missed = this.#player.underruns - underruns;
    if (this.#recording && this.#player.state === 'playing')
      this.#collect(before, left, right, tapLeft, tapRight);
    if (currentTime >= this.#nextShow) this.#show();
    return true;
  }

  #collect(
    frame: number,
    left: Float32Array,
    right: Float32Array,
    tapLeft: Float32Array,
    tapRight: Float32Array,
  ): void {
    const recording = this.#recording;
    if (!recording) return;
    if (recording.at === 0)
      Object.assign(recording, { frame, before: this.#player.underruns - this.#missed });
    const part = recording.what === 'part';
    const count = Math.min(left.length, recording.left.length - recording.at);
    recording.left.set((part ? tapLeft : left).subarray(0, count), recording.at);
    recording.right.set((part ? tapRight : right).subarray(0, count), recording.at);
    recording.at += count;
    if (recording.at < recording.left.length) return;
    const dropouts = this.#player.underruns - recording.before;
    this.port.postMessage({ ...recording, dropouts });
    this.#recording = null;
  }

  #show(): void {
    this.#nextShow = currentTime + showEverySeconds;
    const { position: frame, state, underruns, scope, sums } = this.#player;
    this.port.postMessage({
      kind: 'seen',
      frame,
      state,
      underruns,
      // Posting copies them.
      scope,
      sums,
    } satisfies Seen);
    sums.fill(0);
    this.#tellFeeder();
  }
}

registerProcessor('pannet-player', PannetProcessor);
