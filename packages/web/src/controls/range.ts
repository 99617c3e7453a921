import type { ChangeEvent } from 'react';

/**
 * Whether a range was moved. Each move of it is an input event; a change event only ends what was moved. React calls both a change, the second only where it
 * has set the range otherwise in between: a mark that goes back when it is let go of would be moved once more, and held by nobody.
 */
export function isMoved({ nativeEvent }: ChangeEvent): boolean {
  return nativeEvent.type === 'input';
}
