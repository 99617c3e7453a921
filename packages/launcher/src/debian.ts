import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { Complaint } from './repository.ts';

/** Finds a program on the PATH. */
export function onPath(program: string): string | undefined {
  return (process.env.PATH ?? '')
    .split(':')
    .map((folder) => join(folder, program))
    .find((path) => existsSync(path));
}

/**
 * The folder of PostgreSQL's server programs: PG_BIN_DIR, Debian's newest, or wherever the PATH has them.
 * @param version only that of this major version, as a cluster names it
 */
export function findPostgres(version?: string): string | undefined {
  const debian = '/usr/lib/postgresql';
  const versions = existsSync(debian)
    ? readdirSync(debian).sort((a, b) => Number.parseFloat(b) - Number.parseFloat(a))
    : [];
  const onThePath = onPath('initdb');
  const folders = [
    process.env.PG_BIN_DIR,
    ...versions.map((each) => join(debian, each, 'bin')),
    onThePath && join(onThePath, '..'),
  ];
  return folders.find(
    (folder) =>
      folder &&
      existsSync(join(folder, 'initdb')) &&
      existsSync(join(folder, 'postgres')) &&
      (version === undefined || versionOf(folder) === version),
  );
}

/** “15” of “postgres (PostgreSQL) 15.18 (Debian …)”. */
function versionOf(folder: string): string | undefined {
  const { stdout } = spawnSync(join(folder, 'postgres'), ['--version'], { encoding: 'utf8' });
  return /\) (\d+)/.exec(stdout ?? '')?.[1];
}

/** With its own screens, and what pages can be asked of themselves there alone. */
export const wholeChromium = '/usr/bin/chromium';
const headlessChromium = '/usr/bin/chromium-headless-shell';

/** Debian's headless Chromium; the whole browser, which takes a quarter more of the processor for the same journeys, where there is only that. */
export function findChromium(): string | undefined {
  return [headlessChromium, wholeChromium].find((path) => existsSync(path));
}

interface Need {
  readonly name: string;
  readonly debianPackage: string;
  readonly there: () => boolean;
  /** It goes without, less well. */
  readonly optional?: true;
}

export const postgresNeed: Need = {
  name: 'PostgreSQL',
  debianPackage: 'postgresql',
  there: () => findPostgres() !== undefined,
};
export const chromiumNeed: Need = {
  name: 'Chromium (for the browser tests)',
  debianPackage: 'chromium',
  there: () => existsSync(wholeChromium),
};
export const headlessNeed: Need = {
  name: 'headless Chromium (for quicker browser tests)',
  debianPackage: 'chromium-headless-shell',
  there: () => existsSync(headlessChromium),
  optional: true,
};
export const ffmpegNeed: Need = {
  name: 'ffmpeg (a reference for the tests)',
  debianPackage: 'ffmpeg',
  there: () => onPath('ffmpeg') !== undefined && onPath('ffprobe') !== undefined,
};

/** Installs from Debian what is missing, as root or with sudo; where neither may be, one sentence says what to run. What it goes without is tried last. */
export function install(needs: readonly Need[]): void {
  const missing = needs.filter((need) => !need.there());
  installAll(missing.filter(({ optional }) => !optional));
  try {
    installAll(missing.filter(({ optional }) => optional));
  } catch (error) {
    if (!(error instanceof Complaint)) throw error;
  }
}

function installAll(missing: readonly Need[]): void {
  if (missing.length === 0) return;
  const names = missing.map((need) => need.name).join(', ');
  const packages = missing.map((need) => need.debianPackage);
  const command = `apt-get install -y --no-install-recommends ${packages.join(' ')}`;
  const refused = new Complaint(
    `${names} is missing. Run “sudo apt-get update && sudo ${command}”, then start again.`,
  );
  if (!onPath('apt-get')) throw refused;
  const root = process.getuid?.() === 0;
  // Asked for a password it would stand still where nobody can type one.
  const sudo = root ? [] : ['sudo', ...(process.stdin.isTTY ? [] : ['-n'])];
  if (!root && !onPath('sudo')) throw refused;
  console.error(`Installing ${names} …`);
  const run = (words: string) => {
    const [program, ...rest] = [
      ...sudo,
      'env',
      'DEBIAN_FRONTEND=noninteractive',
      ...words.split(' '),
    ];
    return spawnSync(program, rest, { stdio: ['inherit', 'ignore', 'inherit'] }).status === 0;
  };
  run('apt-get update -q');
  run(command);
  if (missing.some((need) => !need.there())) throw refused;
}
