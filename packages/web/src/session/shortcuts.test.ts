import { afterEach, describe, expect, test } from '@jest/globals';
import { wantsKey } from './shortcuts.ts';

afterEach(() => document.body.replaceChildren());

/** An element in the page, with the keyboard's focus, or as a press of the mouse leaves it. */
function element(html: string, byKeyboard = true): Element {
  document.body.innerHTML = html;
  const found = document.body.firstElementChild as HTMLElement;
  Object.assign(found, {
    matches: (selectors: string) =>
      selectors === ':focus-visible'
        ? byKeyboard
        : Element.prototype.matches.call(found, selectors),
  });
  return found;
}

describe('keys act on the song only where nothing in focus wants them', () => {
  test.each([
    '<input type="checkbox">',
    '<button>Mute</button>',
    '<details><summary>More</summary></details>',
    '<a href="/x">x</a>',
    '<g role="button" tabindex="0"></g>',
  ])('Space belongs to %s that has the keyboard’s focus', (html) => {
    const target = html.startsWith('<details') ? element('<summary>More</summary>') : element(html);
    expect(wantsKey(target, ' ')).toBe(true);
    expect(wantsKey(target, 'Enter')).toBe(true);
    expect(wantsKey(target, 'f')).toBe(false);
  });

  test('one that was pressed by the mouse lets Space play', () => {
    expect(wantsKey(element('<button>Mute</button>', false), ' ')).toBe(false);
    expect(wantsKey(element('<input type="checkbox">', false), ' ')).toBe(false);
  });

  test.each(['<input type="text">', '<textarea></textarea>', '<select></select>', '<input>'])(
    'all keys belong to %s',
    (html) => {
      for (const key of [' ', 'f', 'Home', '1', 'ArrowUp'])
        expect(wantsKey(element(html, false), key)).toBe(true);
    },
  );

  test('a dialog does not keep the song from playing, or from being heard as a fold', () => {
    document.body.innerHTML = '<div role="dialog" tabindex="-1"><button>Choose A</button></div>';
    expect(wantsKey(document.querySelector('div'), ' ')).toBe(false);
    expect(wantsKey(document.querySelector('button'), 'f')).toBe(false);
  });

  test('nowhere in particular all keys are the song’s; the arrows belong to a slider of the browser', () => {
    expect(wantsKey(document.body, ' ')).toBe(false);
    expect(wantsKey(null, ' ')).toBe(false);
    expect(wantsKey(element('<input type="range">'), 'ArrowLeft')).toBe(true);
    expect(wantsKey(element('<input type="range">'), 'Home')).toBe(true);
  });
});
