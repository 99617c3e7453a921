import { parentPort, workerData } from 'node:worker_threads';

// Asks for health ten times a second, in a thread of its own: what keeps the attacker busy is no fault of the server.
const { base } = workerData as { base: string };
let over = false;
parentPort?.once('message', () => (over = true));
const times: number[] = [];
let failures = 0;
while (!over) {
  const begun = performance.now();
  await fetch(`${base}/api/health`)
    .then((response) => {
      if (!response.ok) failures++;
    })
    .catch(() => failures++);
  times.push(performance.now() - begun);
  await new Promise((next) => setTimeout(next, 100));
}
parentPort?.postMessage({ times, failures });
