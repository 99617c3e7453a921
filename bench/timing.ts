import { spawnSync } from 'node:child_process';

/** Seconds of processor time, user and system, that `work` takes in this process. */
export async function ownSeconds(work: () => Promise<unknown> | unknown): Promise<number> {
  const before = process.cpuUsage();
  await work();
  const { user, system } = process.cpuUsage(before);
  return (user + system) / 1e6;
}

/**
 * Seconds of processor time that a command takes from start to end, as its shell counts them; its threads are added up,
 * so that a tool that uses two cores has no advantage over one that uses one. NaN if it fails.
 */
export function commandSeconds(program: string, words: readonly string[]): number {
  const quoted = [program, ...words].map((word) => `'${word.replaceAll("'", "'\\''")}'`).join(' ');
  const timed = spawnSync(
    'bash',
    ['-c', `TIMEFORMAT='%U %S'; time ${quoted} >/dev/null 2>/dev/null`],
    {
      encoding: 'utf8',
    },
  );
  if (timed.status !== 0) return Number.NaN;
  const [user, system] = timed.stderr.trim().split('\n').at(-1)?.split(' ').map(Number) ?? [];
  return user + system;
}

export function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.floor(sorted.length / 2)];
}

/** Runs both sides in turn, so that a machine that changes its speed changes it for both. */
export async function inTurn(
  rounds: number,
  ours: () => Promise<number>,
  theirs: () => number | Promise<number>,
): Promise<{ ours: number; theirs: number; ratio: number }> {
  const rows: [number, number][] = [];
  await ours();
  for (let n = 0; n < rounds; n++) rows.push([await ours(), await theirs()]);
  return {
    ours: median(rows.map(([own]) => own)),
    theirs: median(rows.map(([, other]) => other)),
    ratio: median(rows.map(([own, other]) => own / other)),
  };
}

export function row(name: string, text: string): void {
  console.log(`${name.padEnd(50)}${text}`);
}
