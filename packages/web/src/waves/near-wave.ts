import { needsStretch } from './draw-wave.ts';
import type { TimeView } from './time-view.ts';
import type { Stretch, WaveOf, Waves } from './waves.ts';

/** Samples of what is seen of a recording, where it is seen from so near that an outline is too coarse. */
export class NearWave {
  readonly #waves: Waves;
  readonly #of: WaveOf;
  #asked = '';
  #come: Stretch | null = null;

  constructor(waves: Waves, of: WaveOf) {
    this.#waves = waves;
    this.#of = of;
  }

  /**
   * Those of a view; null from farther off, or until they have come. The ones before do until then, if they reach so far.
   * @param offset frames by which the recording lies later than the song
   * @param onCome is called when they have
   */
  within(view: TimeView, width: number, offset: number, onCome: () => void): Stretch | null {
    if (!needsStretch(view, width)) return null;
    // In steps of half a view, so that what is panned to is often there already.
    const span = 2 ** Math.ceil(Math.log2(view.to - view.from));
    const from = Math.floor((2 * view.from) / span) * (span / 2) - offset;
    this.#ask(from, from + 1.5 * span, onCome);
    const come = this.#come;
    if (!come) return null;
    const end = Math.min(this.#of.recording.frames, Math.ceil(view.to - offset));
    const covered =
      come.from <= Math.max(0, view.from - offset) && come.from + come.samples.length >= end;
    return covered ? come : null;
  }

  #ask(from: number, to: number, onCome: () => void): void {
    const key = `${from} ${to}`;
    if (key === this.#asked) return;
    this.#asked = key;
    this.#waves.stretchOf(this.#of, from, to).then(
      (stretch) => {
        if (this.#asked !== key) return;
        this.#come = stretch;
        onCome();
      },
      // The outline stays; what failed is tried again with the next step.
      () => {},
    );
  }
}
