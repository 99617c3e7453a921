import { plainToInstance, Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
  Equals,
  IsArray,
  IsInt,
  IsString,
  Length,
  Matches,
  Max,
  Min,
  ValidateNested,
  validateSync,
} from 'class-validator';
import { BackupError } from './backup-error.ts';

/** The version of the archive's own layout: its names and its manifest. */
export const archiveVersion = 1;
export const manifestName = 'manifest.json';

const tableFolder = 'tables/';
const recordingFolder = 'recordings/';

export const tablePiece = (table: string) => `${tableFolder}${table}.copy`;
export const recordingPiece = (hash: string) => `${recordingFolder}${hash}`;

/** The hash that a piece is named by; null for a table. */
export function recordingOf(pieceName: string): string | null {
  return pieceName.startsWith(recordingFolder) ? pieceName.slice(recordingFolder.length) : null;
}

/** One file of the archive. */
export class Piece {
  @Matches(/^(tables\/[a-z_]{1,60}\.copy|recordings\/[0-9a-f]{64})$/)
  name: string;

  @IsInt()
  @Min(0)
  @Max(Number.MAX_SAFE_INTEGER)
  bytes: number;

  /** Hexadecimal. */
  @Matches(/^[0-9a-f]{64}$/)
  sha256: string;
}

/** A table whose rows are in the piece `tables/NAME.copy`, as PostgreSQL's COPY writes text. */
export class TableOfBackup {
  @Matches(/^[a-z_]{1,60}$/)
  name: string;

  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(100)
  @Matches(/^[a-z_]{1,60}$/, { each: true })
  columns: string[];

  @IsInt()
  @Min(0)
  @Max(Number.MAX_SAFE_INTEGER)
  rows: number;
}

/** The first file of a backup: what the others are, and what they must come to. */
export class Manifest {
  @Equals('pannet-backup')
  format: string;

  @IsInt()
  archiveVersion: number;

  /** Of the Pannet that wrote it. */
  @IsString()
  @Length(1, 40)
  application: string;

  @IsString()
  @Length(1, 40)
  createdAt: string;

  /** Names of the migrations that its tables had been through, in order. */
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(1000)
  @IsString({ each: true })
  migrations: string[];

  @IsArray()
  @ArrayMaxSize(100)
  @ValidateNested({ each: true })
  @Type(() => TableOfBackup)
  tables: TableOfBackup[];

  /** In the order of the archive. */
  @IsArray()
  @ValidateNested({ each: true })
  @Type(() => Piece)
  pieces: Piece[];
}

/**
 * Reads a manifest.
 * @throws BackupError for what is none, and for one of a later layout
 */
export function readManifest(text: string): Manifest {
  let plain: unknown;
  try {
    plain = JSON.parse(text);
  } catch {
    plain = null;
  }
  const version = (plain as { archiveVersion?: unknown } | null)?.archiveVersion;
  if (typeof version === 'number' && version > archiveVersion)
    throw new BackupError(
      'A later version of Pannet wrote this backup. Update Pannet, then restore it.',
    );
  if (typeof plain !== 'object' || plain === null || Array.isArray(plain))
    throw new BackupError('Its manifest is damaged.');
  const manifest = plainToInstance(Manifest, plain);
  const [error] = validateSync(manifest, { whitelist: true, forbidNonWhitelisted: true });
  if (error) throw new BackupError(`Its manifest is damaged at “${error.property}”.`);
  const expected = manifest.tables.map(({ name }) => tablePiece(name)).sort();
  const named = manifest.pieces
    .filter(({ name }) => recordingOf(name) === null)
    .map(({ name }) => name)
    .sort();
  const names = new Set(manifest.pieces.map(({ name }) => name));
  if (expected.join() !== named.join() || names.size !== manifest.pieces.length)
    throw new BackupError('Its manifest is damaged at “pieces”.');
  return manifest;
}

/**
 * How many of our migrations a backup has been through.
 * @throws BackupError where it has been through one that this version does not know
 */
export function knownMigrationCount(of: readonly string[], ours: readonly string[]): number {
  if (of.length === 0)
    throw new BackupError('It names no migrations, so it is no backup of Pannet.');
  if (of.some((name, n) => ours[n] !== name))
    throw new BackupError(
      of.slice(0, ours.length).every((name, n) => ours[n] === name)
        ? 'A later version of Pannet wrote this backup. Update Pannet, then restore it.'
        : 'Its tables were not made by any version of Pannet.',
    );
  return of.length;
}
