import { expect, test } from '@jest/globals';
import { RunningServer } from '../running-server.fixture.ts';

const server = new RunningServer();
const call = server.call.bind(server);

test('health and OpenAPI are served', async () => {
  expect((await call('GET', '/health')).body).toMatchObject({
    status: 'ok',
    memoryBytes: expect.any(Number),
  });
  const { body } = await call('GET', '/openapi.json');
  expect(Object.keys(body.paths as object)).toEqual(
    expect.arrayContaining([
      '/api/songs',
      '/api/songs/{id}/commands',
      '/api/recordings',
      '/api/recordings/{hash}/audio',
      '/api/health',
    ]),
  );
});
