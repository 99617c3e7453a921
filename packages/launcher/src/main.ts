import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { runCommandLine } from '@pannet/cli/command-line';
import { Complaint, repository } from './repository.ts';
import { Stopped } from './child.ts';
import { start } from './start.ts';
import { test } from './test.ts';
import { backup, maintain, restore } from './upkeep.ts';

const usage = `Pannet: mono stems in; wide, fold-checked stereo stems out.

  ./pannet start [--port N] [--data FOLDER] [--host ADDRESS]
                                              the application, at http://127.0.0.1:4870/; another address needs an account
  ./pannet test                               all tests; ends with “N passed, N failed”
  ./pannet render --image FILE.json --take A.wav [--take B.wav …] --out OUT.wav
                  [--bits 16|24|32f] [--rate HZ] [--report REPORT.json] [--plain PLAIN.wav]
  ./pannet align  --reference REF.wav --take TAKE.wav --out OUT.wav [--tightness 0…100] [--report R.json]
  ./pannet mend   --image IMAGE.json --take A.wav [--take B.wav …] --out NEW.json [--for CODE …] [--report R.json]
  ./pannet measure FILE… [--json] [--check]   several: a row each; with --check, status 1 if one breaks
  ./pannet account add|password|remove NAME   who may sign in, where others than this machine's users come
  ./pannet account list
  ./pannet backup FILE, ./pannet restore FILE all songs and recordings in one file, while Pannet runs
  ./pannet restore --undo, --accept           brings the songs from before a restore back, or deletes them
  ./pannet purge [--days N]                   removes what no song needs, and songs deleted N days ago (30)
  ./pannet bench                              speed and memory, as ratios against references in the same run
  ./pannet attack [quick]                     kills, crowds, slow uploads, a full disk, fuzz: on a Pannet of its own
  ./pannet dev [--port N] [--data FOLDER]     the application with hot reload, for its developers

DATABASE_URL names another PostgreSQL database; PANNET_DATA another data folder.`;

async function main([command, ...words]: string[]): Promise<number> {
  switch (command) {
    case 'start':
      return start(words, false);
    case 'dev':
      return start(words, true);
    case 'test':
      return test();
    case 'render':
    case 'align':
    case 'mend':
    case 'measure':
      return runCommandLine([command, ...words], process.env.PANNET_CALLED_FROM ?? '.');
    case 'account':
    case 'purge':
      return maintain([command, ...words]);
    case 'backup':
      return backup(words);
    case 'restore':
      return restore(words);
    case 'bench':
      return spawnSync('bash', [join(repository, 'bench/run')], { stdio: 'inherit' }).status ?? 1;
    case 'attack':
      return (
        spawnSync('bash', [join(repository, 'bench/attack/run'), ...words], { stdio: 'inherit' })
          .status ?? 1
      );
    case undefined:
    case 'help':
    case '--help':
      console.log(usage);
      return 0;
    default:
      console.error(`There is no “${command}”.\n\n${usage}`);
      return 2;
  }
}

try {
  process.exitCode = await main(process.argv.slice(2));
} catch (error) {
  const badOption = (error as { code?: string }).code?.startsWith('ERR_PARSE_ARGS');
  if (!(error instanceof Complaint || error instanceof Stopped) && !badOption) throw error;
  console.error(error instanceof Stopped ? 'Stopped.' : (error as Error).message);
  process.exitCode = badOption ? 2 : error instanceof Stopped ? 130 : 1;
}
