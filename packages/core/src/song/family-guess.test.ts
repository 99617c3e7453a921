import { expect, test } from '@jest/globals';
import { guessFamily } from './family-guess.ts';

test.each([
  ['Lead Vox 2.wav', 'voice'],
  ['bass_di.wav', 'low'],
  ['gtr L.wav', 'plucked'],
  ['Frame drum.wav', 'struck'],
  ['long-bow.wav', 'bowed'],
  ['organ.wav', 'keys'],
  ['x17.wav', 'other'],
  ['guit_e_slide.flac', 'plucked'],
  ['bd_haus.flac', 'struck'],
  ['SnareTop.wav', 'struck'],
  ['03 OH L.wav', 'struck'],
  ['John_talks.wav', 'voice'],
  ['tomorrow.wav', 'other'],
  ['ambi_piano.flac', 'keys'],
])('%s is guessed to be %s', (fileName, family) => {
  expect(guessFamily(fileName)).toBe(family);
});

test('where a name tells nothing, blows that die away are struck', () => {
  expect(guessFamily('loop_amen.flac', { struck: true })).toBe('struck');
  expect(guessFamily('loop_amen.flac', { struck: false })).toBe('other');
  // A name tells more than blows: a plucked string has them, too.
  expect(guessFamily('harp.wav', { struck: true })).toBe('plucked');
});
