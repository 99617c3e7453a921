import { expect, test } from '@jest/globals';
import { renameSong } from './songs.ts';

interface Sent {
  readonly baseRevision: number;
  readonly commands: readonly { readonly id: string; readonly edits: readonly object[] }[];
}

/** A server that answers so, one after the other. */
function answering(...answers: readonly { status: number; body: object }[]): Sent[] {
  const sent: Sent[] = [];
  let n = 0;
  const randomUUID = () => `id-${++n}`;
  Object.assign(globalThis, {
    crypto: { randomUUID },
    fetch: (_: string, { body }: { body: string }) => {
      const { status, body: document } = answers[sent.length];
      sent.push(JSON.parse(body) as Sent);
      return Promise.resolve({
        ...{ ok: status < 300, status },
        json: () => Promise.resolve(document),
        text: () => Promise.resolve(JSON.stringify(document)),
      });
    },
  });
  return sent;
}

const stale = { status: 409, body: { code: 'other-revision', detail: 'Changed.', revision: 7 } };

test('a song that was worked on since it was listed is renamed all the same, in one step', async () => {
  const sent = answering(stale, { status: 200, body: { revision: 8 } });
  await renameSong({ id: 's', revision: 5 }, 'Other');
  expect(sent.map(({ baseRevision }) => baseRevision)).toEqual([5, 7]);
  expect(sent[0].commands).toEqual(sent[1].commands);
  expect(sent[1].commands[0].edits).toEqual([{ kind: 'set-title', title: 'Other' }]);
});

test('what else stands in the way is said, and so is a song that changes all the time', async () => {
  const gone = { status: 404, body: { code: 'no-song', detail: 'There is no such song.' } };
  const sent = answering(gone);
  await expect(renameSong({ id: 's', revision: 5 }, 'Other')).rejects.toThrow('no such song');
  expect(sent).toHaveLength(1);
  answering(stale, stale);
  await expect(renameSong({ id: 's', revision: 5 }, 'Other')).rejects.toThrow('Changed.');
});
