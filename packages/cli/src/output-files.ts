import type { WrittenBits } from '@pannet/core/formats/wav-write';
import { success, type Outcome } from '@pannet/core/outcome';
import { WavFileWriter } from './wav-file.ts';
import { WrittenFile } from './written-files.ts';

const pieceFrames = 65_536;

/** All files of one command: they take their places together, when every one is whole, or none is left behind. */
export class OutputFiles {
  readonly #say: (line: string) => void;
  readonly #wavs: WavFileWriter[] = [];
  readonly #texts: WrittenFile[] = [];
  #filled = 0;
  #told = 0;

  constructor(say: (line: string) => void) {
    this.#say = say;
  }

  async openWav(
    path: string,
    frames: number,
    rateHz: number,
    bits: WrittenBits,
    channels: 1 | 2 = 2,
  ): Promise<Outcome<void>> {
    const writer = await WavFileWriter.create(path, frames, rateHz, bits, channels);
    if (!writer.ok) return writer;
    this.#wavs.push(writer.value);
    return success(undefined);
  }

  /** Fills the next one of those that were opened. */
  async writeWav(...sides: readonly Float32Array[]): Promise<Outcome<void>> {
    const writer = this.#wavs[this.#filled++];
    for (let at = 0; at < sides[0].length; at += pieceFrames) {
      const end = at + pieceFrames;
      const written = await writer.write(...sides.map((side) => side.subarray(at, end)));
      if (!written.ok) return written;
    }
    if (writer.clipped > 0)
      this.#say(
        `Warning: ${writer.clipped} samples of “${writer.path}” lie over full scale and were held there.`,
      );
    return success(undefined);
  }

  async openText(path: string): Promise<Outcome<void>> {
    const file = await WrittenFile.create(path);
    if (!file.ok) return file;
    this.#texts.push(file.value);
    return success(undefined);
  }

  /** Fills the next one of those that were opened. */
  async writeText(text: string): Promise<Outcome<void>> {
    return this.#texts[this.#told++].write(new TextEncoder().encode(text));
  }

  #all() {
    return [...this.#wavs, ...this.#texts];
  }

  async finish(): Promise<Outcome<void>> {
    for (const file of this.#all()) {
      const finished = await file.finish();
      if (!finished.ok) return finished;
    }
    return success(undefined);
  }

  async discard(): Promise<void> {
    for (const file of this.#all()) await file.discard();
  }
}
