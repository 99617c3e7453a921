import { createStore } from 'zustand/vanilla';

export interface Notice {
  readonly id: number;
  readonly sentence: string;
  readonly action?: { readonly label: string; readonly run: () => void };
}

export const notices = createStore<{ readonly list: readonly Notice[] }>(() => ({ list: [] }));

let last = 0;
/** With an action a notice stays longer: somebody may want it. */
const shownMs = 7000;
const offeredMs = 15_000;

/** Says something at the foot of the screen for a while. The same sentence is not said twice at once. */
export function say(sentence: string, action?: Notice['action']): void {
  if (notices.getState().list.some((notice) => notice.sentence === sentence)) return;
  const notice: Notice = { id: ++last, sentence, ...(action ? { action } : {}) };
  notices.setState(({ list }) => ({ list: [...list.slice(-3), notice] }));
  setTimeout(() => dismiss(notice.id), action ? offeredMs : shownMs);
}

export function dismiss(id: number): void {
  notices.setState(({ list }) => ({ list: list.filter((notice) => notice.id !== id) }));
}
