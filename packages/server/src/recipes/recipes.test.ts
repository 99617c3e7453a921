import { randomUUID } from 'node:crypto';
import { describe, expect, test } from '@jest/globals';
import { neutralImage } from '@pannet/core/image/image';
import { writeImageFile } from '@pannet/core/image/image-file';
import { neutralPreparation } from '@pannet/core/takes/preparation';
import { RunningServer } from '../running-server.fixture.ts';

const server = new RunningServer();
const call = server.call.bind(server);

describe('recipes', () => {
  const image = neutralImage();
  const file = writeImageFile({
    name: null,
    panLaw: '-4.5',
    preparation: { ...neutralPreparation, lowCutHz: 90 },
    image: { ...image, voices: [{ ...image.voices[0], delay: { value: 12, unit: 'ms' } }] },
  });
  const names = async () =>
    ((await call('GET', '/recipes')).body as unknown as { name: string }[]).map(({ name }) => name);

  test('are kept under their names as image files, once, and removed', async () => {
    const id = randomUUID();
    expect((await call('POST', '/recipes', { id, name: ' Twelve late ', file })).status).toBe(201);
    await call('POST', '/recipes', { id, name: 'Again', file });
    expect(await names()).toEqual(['Twelve late']);
    const [kept] = (await call('GET', '/recipes')).body as unknown as { file: object }[];
    expect(kept.file).toEqual({ ...file, name: 'Twelve late' });
    expect((await call('DELETE', `/recipes/${id}`)).status).toBe(204);
    expect(await names()).toEqual([]);
    expect((await call('DELETE', `/recipes/${id}`)).body.detail).toMatch(/no such recipe/);
  });

  test.each<[string, object, RegExp]>([
    ['a file that is no image', { name: 'A', file: { format: 'cake' } }, /not an image file/],
    ['a delay out of range', { name: 'A', file: { ...file, voices: [{ delay: 900 }] } }, /900/],
    ['a name of blanks', { name: '  ', file }, /1 to 80/],
    ['no file', { name: 'A' }, /file/],
  ])('refuse %s with a sentence', async (_, body, sentence) => {
    const answer = await call('POST', '/recipes', { id: randomUUID(), ...body });
    expect([400, 422]).toContain(answer.status);
    expect(answer.body.detail).toMatch(sentence);
    expect(await names()).toEqual([]);
  });
});
