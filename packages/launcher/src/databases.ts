import { setTimeout as wait } from 'node:timers/promises';
import type pg from 'pg';
import { Complaint } from './repository.ts';

/** The database that Pannet works on. */
export const current = 'pannet';
/** A backup is read into this one; until it is whole it is worth nothing. */
export const restoring = 'pannet_restoring';
/** What a restore of an earlier version kept. */
const keptByEarlier = 'pannet_before_restore';
const keptPattern = /^pannet_before_(restore|\d{14})$/;

/** What maintenance must not overlap, on the cluster's own database: PostgreSQL holds it, so it ends with the process. */
const maintenanceKey = 7_260_000;

/** A command that only puts the databases in order has ended within this time. */
const claimPatienceMs = 5000;

export type Sharing = 'shared' | 'exclusive';

async function names(admin: pg.Client): Promise<string[]> {
  const { rows } = await admin.query<{ name: string }>(
    'SELECT datname AS name FROM pg_database ORDER BY datname',
  );
  return rows.map(({ name }) => name);
}

/** Databases that restores have kept, the newest first. */
export async function keptDatabases(admin: pg.Client): Promise<string[]> {
  const kept = (await names(admin)).filter((name) => keptPattern.test(name));
  // That of an earlier version is older than all with a date.
  const age = (name: string) => (name === keptByEarlier ? '' : name);
  return kept.sort((a, b) => (age(a) < age(b) ? 1 : -1));
}

async function tryToClaim(admin: pg.Client, sharing: Sharing): Promise<boolean> {
  const lock = sharing === 'shared' ? 'pg_try_advisory_lock_shared' : 'pg_try_advisory_lock';
  const { rows } = await admin.query<{ got: boolean }>(`SELECT ${lock}($1) AS got`, [
    maintenanceKey,
  ]);
  return rows[0].got;
}

/**
 * Takes the right to maintain the databases of a cluster. Backups and account changes share it; a restore or a purge has it
 * alone. It is held until the connection ends.
 * @throws Complaint where another command has it
 */
export async function claimMaintenance(admin: pg.Client, sharing: Sharing): Promise<void> {
  for (const end = Date.now() + claimPatienceMs; !(await tryToClaim(admin, sharing));) {
    if (Date.now() > end)
      throw new Complaint(
        'Another “./pannet” command works on these songs just now (a backup, a restore or a purge). Nothing was changed. Try again when it has ended.',
      );
    await wait(100);
  }
}

/**
 * Before anything else is done by a command that runs the cluster: what a restore left is put in order, unless another command
 * is at work already.
 * @returns a sentence on each thing that was found
 */
export async function settleIfAlone(admin: pg.Client): Promise<string[]> {
  if (!(await tryToClaim(admin, 'exclusive'))) return [];
  try {
    return await settleDatabases(admin);
  } finally {
    await admin.query('SELECT pg_advisory_unlock($1)', [maintenanceKey]);
  }
}

/** @throws Complaint where the songs lie in another database than they should, so that none is made empty in their place */
export async function demandSettled(admin: pg.Client): Promise<void> {
  if ((await names(admin)).includes(current)) return;
  if ((await keptDatabases(admin)).length > 0)
    throw new Complaint(
      'A restore was interrupted. Your songs are there: “./pannet start” puts them in order. Nothing was changed.',
    );
}

/**
 * Brings the databases to a state that Pannet can start on, whatever was killed before: completes or undoes a restore.
 * The caller holds the folder and has claimed maintenance for itself.
 * @returns a sentence for the engineer on each thing that was found
 */
export async function settleDatabases(admin: pg.Client): Promise<string[]> {
  const said: string[] = [];
  const there = new Set(await names(admin));
  if (!there.has(current)) {
    const [kept] = await keptDatabases(admin);
    if (there.has(restoring) && there.has(keptByEarlier)) {
      // An earlier version renamed in two steps, the second one only when the backup had been read whole.
      await rename(admin, restoring, current);
      said.push('A restore was interrupted at its last step; it is complete now.');
    } else if (kept !== undefined) {
      await rename(admin, kept, current);
      said.push('A restore was interrupted; the songs from before it are back.');
    }
  } else if (there.has(restoring)) {
    await admin.query(`DROP DATABASE IF EXISTS ${restoring} WITH (FORCE)`);
    said.push(
      'A restore was interrupted before it changed anything: restore again if you need it.',
    );
  }
  for (const name of await names(admin))
    if (name === current || keptPattern.test(name))
      await admin.query(`ALTER DATABASE ${name} ALLOW_CONNECTIONS true`);
  return said;
}

async function rename(admin: pg.Client, from: string, to: string): Promise<void> {
  await admin.query(`ALTER DATABASE ${from} RENAME TO ${to}`);
}

/** What restores have kept, as a sentence; null where there is nothing. */
export async function keptSentence(admin: pg.Client): Promise<string | null> {
  const [newest, ...others] = await keptDatabases(admin);
  if (newest === undefined) return null;
  const { rows } = await admin.query<{ bytes: string }>(
    'SELECT sum(pg_database_size(datname)) AS bytes FROM pg_database WHERE datname = ANY($1)',
    [[newest, ...others]],
  );
  const size = `${(Number(rows[0].bytes) / 1e6).toFixed(0)} MB`;
  return `The songs from before the last restore (${dateOf(newest)}) are kept${others.length > 0 ? `, and ${others.length} older sets` : ''} (${size}). “./pannet restore --undo” brings them back; “./pannet restore --accept” deletes them for good.`;
}

function dateOf(kept: string): string {
  const digits = /\d{14}$/.exec(kept)?.[0];
  if (!digits) return 'by an earlier version';
  const [, year, month, day, hour, minute] = /(....)(..)(..)(..)(..)/.exec(digits) ?? [];
  return `${year}-${month}-${day} ${hour}:${minute} UTC`;
}

/**
 * Puts the database `from` in the place of the current one, which is kept under a dated name. One transaction: whoever is
 * killed meanwhile leaves either the old state or the new one.
 * @param other a second connection, which sends everybody else away
 * @returns the name of what is kept
 */
export async function changePlaces(
  admin: pg.Client,
  from: string,
  other: pg.Client,
): Promise<string> {
  const taken = new Set(await names(admin));
  let moment = Date.now();
  const nameAt = () =>
    `pannet_before_${new Date(moment).toISOString().replace(/\D/g, '').slice(0, 14)}`;
  while (taken.has(nameAt())) moment += 1000;
  const kept = nameAt();
  let over = false;
  // A rename waits some seconds for others to leave, and lets nobody new in meanwhile.
  const clearing = (async () => {
    while (!over) {
      await other.query(
        'SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = ANY($1)',
        [[current, from]],
      );
      await wait(100);
    }
  })();
  clearing.catch(() => {});
  try {
    await admin.query('BEGIN');
    if (taken.has(current)) await rename(admin, current, kept);
    await rename(admin, from, current);
    await admin.query('COMMIT');
  } catch (error) {
    await admin.query('ROLLBACK').catch(() => {});
    // PostgreSQL 15, appendix A: object_in_use.
    if ((error as { code?: string }).code === '55006')
      throw new Complaint(
        'Another program holds on to the songs. Nothing was changed. Stop it, then try again.',
      );
    throw error;
  } finally {
    over = true;
    await clearing.catch(() => {});
  }
  return kept;
}

/** Deletes what restores have kept. @returns how many sets */
export async function dropKept(admin: pg.Client): Promise<number> {
  const kept = await keptDatabases(admin);
  for (const name of kept) await admin.query(`DROP DATABASE ${name} WITH (FORCE)`);
  return kept.length;
}
