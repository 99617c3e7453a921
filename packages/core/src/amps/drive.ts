/** How a drive bends: softly, at once, or one half wave more than the other. */
export const driveShapes = ['soft', 'hard', 'uneven'] as const;
export type DriveShape = (typeof driveShapes)[number];

export interface Drive {
  /** Gain of what is quiet; 0 is exactly linear. */
  readonly driveDb: number;
  readonly shape: DriveShape;
  readonly inputDb: number;
}

/** A drive that moves: how much it is at each frame, in dB; less than none is none. */
export type DriveAt = (frame: number) => number;

/** Less drive than this bends nothing that could be heard, or told from what numbers leave of it. */
export const leastDriveDb = 1e-3;

/** Whether a drive does anything but be passed through. */
export function bends({ driveDb }: Pick<Drive, 'driveDb'>): boolean {
  return driveDb >= leastDriveDb;
}
