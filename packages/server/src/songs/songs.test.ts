import { randomUUID } from 'node:crypto';
import { describe, expect, test } from '@jest/globals';
import { newPart } from '@pannet/core/song/song';
import { neutralImage } from '@pannet/core/image/image';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Recording } from '@pannet/core/song/song';
import { DataSource } from 'typeorm';
import { FairComparison1764200000000 } from '../database/migrations/fair-comparison.ts';
import { recordingBytes, RunningServer, titled } from '../running-server.fixture.ts';
import type { OpenedSong } from './songs.service.ts';
import type { LogPage } from './song-log.ts';

const server = new RunningServer();
const call = server.call.bind(server);
const upload = server.upload.bind(server);
const newSong = server.newSong.bind(server);

describe('songs', () => {
  test('begin, are listed, deleted and brought back', async () => {
    const id = await newSong('First');
    expect((await call('GET', `/songs/${id}`)).body).toMatchObject({ revision: 0, log: [] });
    expect((await call('DELETE', `/songs/${id}`)).status).toBe(204);
    expect((await call('GET', `/songs/${id}`)).status).toBe(404);
    expect((await call('POST', `/songs/${id}/restore`)).body).toMatchObject({ title: 'First' });
    const listed = (await call('GET', '/songs')).body as unknown as { id: string }[];
    expect(listed.map((song) => song.id)).toContain(id);
  });

  test('take commands in order and tell them again after a reload, with names and inverses', async () => {
    const id = await newSong();
    const commands = [titled('One'), titled('Two')];
    expect(
      await call('POST', `/songs/${id}/commands`, { baseRevision: 0, commands }),
    ).toMatchObject({
      status: 200,
      body: { revision: 2 },
    });
    const opened = (await call('GET', `/songs/${id}`)).body as unknown as OpenedSong;
    expect(opened.song.title).toBe('Two');
    expect(opened.log.map(({ name }) => name)).toEqual(['title: One', 'title: Two']);
    expect(opened.log[1].inverse).toEqual([{ kind: 'set-title', title: 'One' }]);
  });

  test('take a command once, however often it comes, also beside new ones', async () => {
    const id = await newSong();
    const first = titled('Once');
    const send = (commands: unknown[]) =>
      call('POST', `/songs/${id}/commands`, { baseRevision: 0, commands });
    await send([first]);
    expect((await send([first])).body).toEqual({ revision: 1 });
    // The answer to the first was lost; the client sends it again with the next one, on its old revision.
    expect((await send([first, titled('Then')])).body).toEqual({ revision: 2 });
    const opened = (await call('GET', `/songs/${id}`)).body as unknown as OpenedSong;
    expect(opened.log).toHaveLength(2);
  });

  test('refuse commands that stand on another revision, and say which it is', async () => {
    const id = await newSong();
    await call('POST', `/songs/${id}/commands`, { baseRevision: 0, commands: [titled('Here')] });
    const answer = await call('POST', `/songs/${id}/commands`, {
      baseRevision: 0,
      commands: [titled('There')],
    });
    expect(answer).toMatchObject({ status: 409, body: { code: 'other-revision', revision: 1 } });
    expect(answer.body.detail).toMatch(
      /changed elsewhere: it is at revision 1, the commands stand on 0\.$/,
    );
  });

  test('of many windows at once, one wins each revision and nothing is lost or doubled', async () => {
    const id = await newSong();
    const answers = await Promise.all(
      Array.from({ length: 8 }, (_, n) =>
        call('POST', `/songs/${id}/commands`, {
          baseRevision: 0,
          commands: [titled(`Rival ${n}`)],
        }),
      ),
    );
    expect(answers.filter(({ status }) => status === 200)).toHaveLength(1);
    expect(answers.filter(({ status }) => status === 409)).toHaveLength(7);
    expect((await call('GET', `/songs/${id}`)).body).toMatchObject({ revision: 1 });
  });

  test('take the same request once when it comes several times at once, and answer all of them alike', async () => {
    const id = await newSong();
    const request = { baseRevision: 0, commands: [titled('One'), titled('Two')] };
    const answers = await Promise.all(
      Array.from({ length: 8 }, () => call('POST', `/songs/${id}/commands`, request)),
    );
    expect(answers.map(({ status, body }) => [status, body])).toEqual(
      answers.map(() => [200, { revision: 2 }]),
    );
    expect((await call('GET', `/songs/${id}`)).body).toMatchObject({
      revision: 2,
      song: { title: 'Two' },
    });
  });

  test('apply all commands of a request or none', async () => {
    const id = await newSong('Whole');
    const bad = {
      id: randomUUID(),
      name: 'bad',
      role: 'do',
      edits: [{ kind: 'remove-part', partId: 'x' }],
    };
    const answer = await call('POST', `/songs/${id}/commands`, {
      baseRevision: 0,
      commands: [titled('Half'), bad],
    });
    expect(answer).toMatchObject({
      status: 422,
      type: expect.stringContaining('application/problem+json'),
    });
    expect(answer.body).toMatchObject({
      commandId: bad.id,
      place: 'edits[0].partId',
      title: 'Unprocessable Entity',
    });
    expect((await call('GET', `/songs/${id}`)).body).toMatchObject({
      revision: 0,
      song: { title: 'Whole' },
    });
  });

  test.each<[string, unknown, RegExp]>([
    ['no commands', { baseRevision: 0, commands: [] }, /“commands”/],
    [
      'a broken id',
      { baseRevision: 0, commands: [{ ...titled('x'), id: 'x' }] },
      /“commands\[0\]\.id”.*UUID/,
    ],
    [
      'a strange role',
      { baseRevision: 0, commands: [{ ...titled('x'), role: 'maybe' }] },
      /“commands\[0\]\.role”/,
    ],
    ['an unknown key', { baseRevision: 0, commands: [titled('x')], more: 1 }, /“more”/],
    ['half a revision', { baseRevision: 0.5, commands: [titled('x')] }, /“baseRevision”/],
  ])('refuse a request with %s in a sentence', async (_, body, sentence) => {
    const id = await newSong();
    const answer = await call('POST', `/songs/${id}/commands`, body);
    expect(answer.status).toBe(400);
    expect(answer.body.detail).toMatch(sentence);
  });

  test.each<[string, unknown]>([
    ['an edit of no kind', { kind: 'paint' }],
    ['an image without voices', { kind: 'set-image', partId: 'p', image: {} }],
    ['a part that is a number', { kind: 'add-part', part: 5, index: 0 }],
    ['a recording of nothing', { kind: 'put-recording' }],
  ])('refuse %s without falling over', async (_, edit) => {
    const id = await newSong();
    const command = { ...titled('x'), edits: [edit] };
    const answer = await call('POST', `/songs/${id}/commands`, {
      baseRevision: 0,
      commands: [command],
    });
    expect(answer.status).toBe(422);
    expect(answer.body.detail).toMatch(/\.$/);
  });

  test('only name recordings that are kept, as they are', async () => {
    const id = await newSong();
    const recording = (await upload(recordingBytes(900, 0.11))).body as unknown as Recording;
    const put = (kept: Recording) =>
      call('POST', `/songs/${id}/commands`, {
        baseRevision: 0,
        commands: [
          {
            ...titled('x'),
            edits: [
              { kind: 'set-rate', rateHz: 48_000 },
              { kind: 'put-recording', recording: kept },
            ],
          },
        ],
      });
    expect((await put({ ...recording, hash: '0'.repeat(64) })).status).toBe(422);
    expect((await put({ ...recording, frames: 9_000_000 })).body).toMatchObject({
      code: 'unknown-recording',
    });
    expect((await put(recording)).status).toBe(200);
  });

  test('a part goes in and comes out of the database unchanged', async () => {
    const id = await newSong();
    const recording = (await upload(recordingBytes(900, 0.12))).body as unknown as Recording;
    const image = neutralImage();
    const part = newPart('p', 'P', 'voice', [{ recording: recording.hash, channel: 0 }], {
      levelDb: -3.1,
      image: {
        ...image,
        voices: [{ ...image.voices[0], delay: { value: 0.1 + 0.2, unit: 'ms' as const } }],
      },
    });
    const edits: Edit[] = [
      { kind: 'set-rate', rateHz: 48_000 },
      { kind: 'put-recording', recording },
      { kind: 'add-part', part, index: 0 },
    ];
    await call('POST', `/songs/${id}/commands`, {
      baseRevision: 0,
      commands: [{ ...titled('x'), edits }],
    });
    const opened = (await call('GET', `/songs/${id}`)).body as unknown as OpenedSong;
    expect(opened.song.parts.p).toEqual(part);
    expect(JSON.stringify(opened.song.parts.p)).toBe(JSON.stringify(part));
  });

  test('what is taken can be opened: what is left out has its default, what has another shape is refused', async () => {
    const id = await newSong();
    const recording = (await upload(recordingBytes(900, 0.14))).body as unknown as Recording;
    const part = newPart('p', 'P', 'voice', [{ recording: recording.hash, channel: 0 }]);
    const send = (baseRevision: number, ...edits: unknown[]) =>
      call('POST', `/songs/${id}/commands`, {
        baseRevision,
        commands: [{ ...titled('x'), edits }],
      });
    const begun = await send(
      0,
      { kind: 'set-rate', rateHz: 48_000 },
      { kind: 'put-recording', recording },
      { kind: 'add-part', part, index: 0 },
    );
    expect(begun.status).toBe(200);
    const { compressor, ...preparation } = part.preparation;
    expect((await send(1, { kind: 'set-preparation', partId: 'p', preparation })).status).toBe(200);
    const opened = (await call('GET', `/songs/${id}`)).body as unknown as OpenedSong;
    expect(opened.song.parts.p.preparation.compressor).toEqual(compressor);
    for (const edit of [
      { kind: 'add-part', index: 1, part: { ...part, id: { a: 1 } } },
      { kind: 'add-part', index: 1, part: { ...part, id: 'q', reverb: 1 } },
      { kind: 'set-part', partId: 'p', changes: { toggleKey: ['q'] } },
      { kind: 'put-recording', recording: { ...recording, frames: -1 } },
    ]) {
      const answer = await send(2, edit);
      expect(answer.status).toBe(422);
      expect(answer.body.detail).toMatch(/\.$/);
    }
    expect((await call('GET', `/songs/${id}`)).status).toBe(200);
  });

  test('their edits stand in the API documents as the core describes them', async () => {
    const { status, body } = await call('GET', '/openapi.json');
    expect(status).toBe(200);
    const text = JSON.stringify(body);
    for (const said of [
      '"set-voice"',
      '"Position, %"',
      '"Tuning, cents"',
      '"Low cut, Hz; null for off"',
    ])
      expect(text).toContain(said);
  });

  test('whose logs are of an older format have them brought up, so that their steps can be taken back', async () => {
    const id = await newSong();
    const recording = (await upload(recordingBytes(900, 0.13))).body as unknown as Recording;
    const part = newPart('p', 'P', 'voice', [{ recording: recording.hash, channel: 0 }]);
    const adding: Edit[] = [
      { kind: 'set-rate', rateHz: 48_000 },
      { kind: 'put-recording', recording },
      { kind: 'add-part', part, index: 0 },
    ];
    const steps = [adding, [{ kind: 'remove-part', partId: 'p' }]];
    await call('POST', `/songs/${id}/commands`, {
      baseRevision: 0,
      commands: steps.map((edits) => ({ ...titled('x'), edits })),
    });
    const runner = server.app.get(DataSource).createQueryRunner();
    try {
      // As format 2 kept them: parts knew neither of a plain voice nor of a key.
      for (const column of ['edits', 'inverse'])
        await runner.query(
          `UPDATE commands SET ${column} = (
            SELECT jsonb_agg((each #- '{part,plainVoice}') #- '{part,toggleKey}')::json
            FROM jsonb_array_elements(${column}::jsonb) AS each
          ) WHERE song_id = $1`,
          [id],
        );
      const logOf = async () =>
        ((await call('GET', `/songs/${id}/log?upTo=2`)).body as unknown as LogPage).log;
      const addedPart = (edits: readonly Edit[]) => {
        const added = edits.find(({ kind }) => kind === 'add-part');
        return added?.kind === 'add-part' ? added.part : null;
      };
      expect(addedPart((await logOf())[0].edits)).not.toHaveProperty('plainVoice');
      await new FairComparison1764200000000().up(runner);
      const [first, second] = await logOf();
      expect(addedPart(first.edits)).toEqual(part);
      expect(addedPart(second.inverse)).toEqual(part);
      const undo = { ...titled('x'), role: 'undo', edits: second.inverse };
      const answer = await call('POST', `/songs/${id}/commands`, {
        baseRevision: 2,
        commands: [undo],
      });
      expect(answer.status).toBe(200);
      const { song } = (await call('GET', `/songs/${id}`)).body as unknown as OpenedSong;
      expect(song.parts.p).toEqual(part);
    } finally {
      await runner.release();
    }
  });

  test('are not found in a sentence', async () => {
    const answer = await call('GET', `/songs/${randomUUID()}`);
    expect(answer).toMatchObject({
      status: 404,
      body: { detail: 'There is no such song; it may have been deleted.' },
    });
  });
});
