import { choice, group, thing, type Described } from '../parameters/description.ts';
import { sharedDriveParameters } from '../parameters/tables.ts';
import type { Body } from './body.ts';
import { driveShapes } from './drive.ts';

/** What stands in front of all voices of an image: drive, the share of the top that it leaves, level. */
export const sharedDriveDescription = thing({
  ...group(sharedDriveParameters),
  shape: choice(driveShapes).default('soft'),
});
export type SharedDrive = Described<typeof sharedDriveDescription>;

/** As it begins: what is quiet is raised a little. */
export const usualSharedDrive: SharedDrive = sharedDriveDescription.parse({
  driveDb: 9,
  levelDb: -6,
});

/** What follows the bend of a shared drive. @param bent whether there was one */
export function afterSharedDrive({ toneDb, levelDb, shape }: SharedDrive, bent: boolean): Body {
  return {
    tone: { lowDb: 0, midDb: 0, midHz: 500, highDb: toneDb, presenceDb: 0 },
    squashPercent: 0,
    recoveryMs: 200,
    inputDb: levelDb,
    still: bent && shape === 'uneven',
  };
}
