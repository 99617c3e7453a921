/** A note of a line that is played. */
export interface Note {
  readonly startSeconds: number;
  readonly seconds: number;
  readonly hz: number;
  /** 0 to 1. */
  readonly strength: number;
}

/** @param midi the number of a key, 69 the A over middle C; equal temperament at 440 Hz */
export function pitchHz(midi: number): number {
  return 440 * 2 ** ((midi - 69) / 12);
}
