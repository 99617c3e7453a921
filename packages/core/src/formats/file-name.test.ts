import { posix, win32 } from 'node:path';
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { safeFileName } from './file-name.ts';

test.each([
  ['vox lead', 'vox lead'],
  ['Ümläut 12″', 'Ümläut 12″'],
  ['../../etc/passwd', '_.._etc_passwd'],
  ['C:\\Windows\\x', 'C__Windows_x'],
  ['.hidden', 'hidden'],
  ['NUL', '_NUL'],
  ['com1.take', '_com1.take'],
  ['take\u202egnp', 'take_gnp'],
  ['ends. ', 'ends'],
  ['', 'part'],
  ['...', 'part'],
])('“%s” becomes “%s”', (name, safe) => {
  expect(safeFileName(name)).toBe(safe);
});

test('whatever it was called, it is a name and no path, and stays as it is', () => {
  fc.assert(
    fc.property(
      fc.oneof(
        fc.string({ unit: 'binary', maxLength: 300 }),
        fc
          .array(fc.constantFrom('..', '/', '\\', '.', ' ', 'a', ':', '\0', 'nul'))
          .map((parts) => parts.join('')),
      ),
      (name) => {
        const safe = `${safeFileName(name)}_wide.wav`;
        for (const path of [posix, win32]) {
          expect(path.basename(safe)).toBe(safe);
          expect(path.dirname(path.join('/folder', safe)).replaceAll('\\', '/')).toBe('/folder');
        }
        expect(safe).not.toMatch(/^\.|[\0-\x1f]/);
        expect(safeFileName(safeFileName(name))).toBe(safeFileName(name));
      },
    ),
  );
});
