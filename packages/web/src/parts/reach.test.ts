import { expect, test } from '@jest/globals';
import { transformOf } from './Reach.tsx';

// 52 of its 56 pixels are for −100 to +100 %, and the line is a pixel longer at either end.
test.each<[string, number, number, number, string]>([
  ['silence', 0, 0, 0, 'scaleX(0)'],
  ['mono is a dot in the middle', 1, 1, 1, 'translateX(27px) scaleX(2)'],
  ['left alone reaches from the left end to the middle', 1, 0, 0, 'translateX(1px) scaleX(20.5)'],
  ['right alone mirrors it', 0, 1, 0, 'translateX(34.5px) scaleX(20.5)'],
  ['two separate sides reach far', 1, 1, 0, 'translateX(8.5px) scaleX(39)'],
  ['opposite sides reach all over', 1, 1, -1, 'translateX(1px) scaleX(54)'],
])('%s', (_, left, right, cross, transform) => {
  expect(transformOf(left, right, cross)).toBe(transform);
});
