import { randomBytes, randomInt, randomUUID } from 'node:crypto';
import { wavFile } from '@pannet/core/formats/wav-write';
import { recipes } from '@pannet/core/image/recipes';
import { writeImageFile } from '@pannet/core/image/image-file';
import { neutralPreparation } from '@pannet/core/takes/preparation';
import { said, titled, type Target } from './target.ts';

const atOnce = 16;

const strange: readonly unknown[] = [
  ...[null, true, '', '\0', 'a\0b', '\ud800', '__proto__', 'constructor', 'NaN', ' ', '../..'],
  ...[0, -1, 1e308, -1e308, 1e-320, 0.1, 2 ** 53, Number.MAX_SAFE_INTEGER],
  ...[[], {}, [[]], [null], { a: { a: {} } }, { toString: 1 }, { length: 5 }],
  'x'.repeat(5000),
];

/** A thing with one or several places of it changed, left out, doubled or renamed. */
function mutated(thing: unknown): unknown {
  const copy = structuredClone(thing);
  for (let n = randomInt(1, 4); n > 0; n--) mutate(copy);
  return copy;
}

function mutate(thing: unknown): void {
  if (typeof thing !== 'object' || thing === null) return;
  const keys = Object.keys(thing);
  if (keys.length === 0) return;
  const inner = thing as Record<string, unknown>;
  const key = keys[randomInt(keys.length)];
  if (typeof inner[key] === 'object' && inner[key] !== null && randomInt(4) > 0) {
    mutate(inner[key]);
    return;
  }
  const value = structuredClone(strange[randomInt(strange.length)]);
  switch (randomInt(4)) {
    case 0:
      delete inner[key];
      break;
    case 1:
      inner[JSON.stringify(value).slice(0, 20)] = inner[key];
      break;
    default:
      inner[key] = value;
  }
}

/** JSON with some of its letters changed. */
function garbled(text: string): string {
  const at = randomInt(Math.max(1, text.length));
  switch (randomInt(3)) {
    case 0:
      return text.slice(0, at);
    case 1:
      return text.slice(0, at) + randomBytes(3).toString('latin1') + text.slice(at + 1);
    default:
      return text.slice(0, at) + text.slice(Math.max(0, at - 20));
  }
}

function mutatedBytes(bytes: Uint8Array): Uint8Array {
  const copy = bytes.slice();
  for (let n = randomInt(1, 8); n > 0; n--)
    copy[randomInt(randomInt(2) ? copy.length : 60)] = randomInt(256);
  return randomInt(5) === 0 ? copy.subarray(0, randomInt(copy.length)) : copy;
}

/** Sends what is nearly right, and counts how it is answered. */
export async function fuzz(target: Target, count: number): Promise<void> {
  const song = await target.newSong('Fuzzed');
  const image = writeImageFile({
    name: 'Fuzz',
    panLaw: '-3',
    preparation: neutralPreparation,
    image: recipes[1].image,
  });
  const wav = wavFile(
    [Float32Array.from({ length: 400 }, (_, n) => Math.sin(n / 9))],
    48_000,
    '24',
  );
  const edits = [
    { kind: 'set-title', title: 'x' },
    { kind: 'set-rate', rateHz: 48_000 },
    { kind: 'set-pan-law', panLaw: '-3' },
    { kind: 'set-groups', groups: [] },
    { kind: 'set-image', partId: 'p', image: recipes[2].image },
    { kind: 'put-recording', recording: { hash: 'a'.repeat(64), fileName: 'x', frames: 9 } },
  ];
  const kinds: Record<string, () => Promise<number>> = {
    commands: async () => {
      const body = {
        baseRevision: 0,
        commands: [{ ...titled('fuzz'), edits: [edits[randomInt(edits.length)]] }],
      };
      const whole = mutated(body);
      const text = JSON.stringify(whole);
      return (
        await target.post(`/songs/${song}/commands`, randomInt(5) === 0 ? garbled(text) : text)
      ).status;
    },
    recipes: async () =>
      (
        await target.post(
          '/recipes',
          mutated({ id: randomUUID(), name: 'Fuzz', file: mutated(image) }),
        )
      ).status,
    WAVs: async () => (await target.upload(mutatedBytes(wav), 'fuzz.wav')).status,
  };
  for (const [name, one] of Object.entries(kinds)) {
    const statuses = new Map<number, number>();
    let left = Math.ceil(count / 3);
    const each = left;
    await Promise.all(
      Array.from({ length: atOnce }, async () => {
        while (left-- > 0) {
          const status = await one().catch(() => 0);
          statuses.set(status, (statuses.get(status) ?? 0) + 1);
        }
      }),
    );
    const told = [...statuses].sort(([a], [b]) => a - b).map(([status, n]) => `${n} × ${status}`);
    said(`fuzz, ${each} ${name}`, told.join(', '));
    if ([...statuses.keys()].some((status) => status === 0 || status >= 500))
      target.faults.push(`${name}: a request was not answered, or with a failure of the server`);
  }
}
