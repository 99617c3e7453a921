import { once } from 'node:events';
import { setTimeout as wait } from 'node:timers/promises';
import { Worker } from 'node:worker_threads';
import { describe, expect, test } from '@jest/globals';
import { expectSuccess } from '@pannet/core/outcome';
import { emptySong } from '@pannet/core/song/song';
import { computedMs } from './computed.ts';
import { Work } from './work.ts';

const song = emptySong('song', 'Song');

/** A command of which each edit does something before it is applied. */
const doing = (work: () => void, edits = 1) => ({
  ...{ id: 'command', name: 'title', role: 'do' as const },
  edits: Array.from({ length: edits }, () => ({
    kind: 'set-title' as const,
    get title() {
      work();
      return 'Title';
    },
  })),
});

function compute(ms: number): void {
  const since = computedMs();
  while (computedMs() - since < ms);
}

/** Stands still without computing: as on a machine whose processor is somebody else's for a while. */
function stand(ms: number): void {
  Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, ms);
}

describe('what one request may cost', () => {
  test('computing for longer is refused, in one command and over several', async () => {
    await expect(
      new Work(100).apply(
        song,
        doing(() => compute(60), 3),
      ),
    ).rejects.toMatchObject({
      status: 413,
      failure: { code: 'too-much-work' },
    });
    const work = new Work(100);
    expectSuccess(
      await work.apply(
        song,
        doing(() => compute(60)),
      ),
    );
    await expect(
      work.apply(
        song,
        doing(() => compute(60)),
      ),
    ).rejects.toThrow(/fewer of them/);
  });

  test('what is waited for is no computing: the database between two commands, a processor that is busy besides', async () => {
    const work = new Work(100);
    await wait(150);
    expectSuccess(
      await work.apply(
        song,
        doing(() => stand(150)),
      ),
    );
    await wait(150);
    expectSuccess(
      await work.apply(
        song,
        doing(() => compute(5)),
      ),
    );
  });

  test('nor is what other threads of the process do meanwhile', async () => {
    const busy = new Worker('for (;;);', { eval: true });
    try {
      await once(busy, 'online');
      const before = process.cpuUsage();
      expectSuccess(
        await new Work(100).apply(
          song,
          doing(() => stand(200)),
        ),
      );
      // The other one did compute: that is what is told apart.
      expect(process.cpuUsage(before).user / 1000).toBeGreaterThan(20);
    } finally {
      await busy.terminate();
    }
  });

  test('others are answered between edits and between commands', async () => {
    let answers = 0;
    let over = false;
    const answer = () => {
      answers++;
      if (!over) setImmediate(answer);
    };
    setImmediate(answer);
    const work = new Work();
    expectSuccess(
      await work.apply(
        song,
        doing(() => compute(15), 3),
      ),
    );
    const within = answers;
    for (let n = 0; n < 3; n++)
      expectSuccess(
        await work.apply(
          song,
          doing(() => compute(15)),
        ),
      );
    over = true;
    expect(within).toBeGreaterThanOrEqual(3);
    expect(answers).toBeGreaterThanOrEqual(within + 3);
  });
});
