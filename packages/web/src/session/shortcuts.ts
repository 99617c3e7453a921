import { songFrames } from '@pannet/core/song/song';
import { useEffect } from 'react';
import { createStore } from 'zustand/vanilla';
import { partsOfKey } from '../comparing/toggle-keys.ts';
import { browserStorage } from '../sync/browser-storage.ts';
import { setLoopEnd } from './loop.ts';
import type { OpenSong } from './open-song.ts';

export interface Shortcut {
  readonly keys: string;
  readonly what: string;
}

export const shortcuts: readonly Shortcut[] = [
  { keys: 'Space', what: 'Play and stop' },
  { keys: 'F', what: 'Hear the fold, or stereo again' },
  { keys: 'P', what: 'Plain or image, for the selected parts, equally loud' },
  {
    keys: 'Q W E R T Y …',
    what: 'Plain or image, a key for each part; parts of one key flip together',
  },
  {
    keys: '1 … 9',
    what: 'Take up a draft; an empty one keeps the image (Shift: keep it anew); on the row of a group: of that',
  },
  { keys: 'L', what: 'Loop on and off' },
  { keys: 'Shift Home · Shift End', what: 'The loop begins · ends where the playhead is' },
  { keys: '−', what: 'Dim: 20 dB softer' },
  { keys: 'Home', what: 'To the beginning of the song or the loop' },
  { keys: 'Ctrl Z · Shift Ctrl Z', what: 'Undo · redo' },
  { keys: 'Ctrl A', what: 'All parts are selected: what is set goes to all of them' },
  {
    keys: '+ − 0 on the wave',
    what: 'Closer, farther, the whole song; Page keys go along; arrows move the playhead (Alt: one sample)',
  },
  { keys: 'Arrow keys on a voice', what: 'Position and delay (Shift: ten steps; Alt: one sample)' },
  { keys: 'Escape', what: 'Drop what is tried; then let go of the selected voices' },
  { keys: '?', what: 'All of this' },
];

const storageKey = 'pannet.letter-keys';

/** Single letters can be switched off: speech input and some hands press them by accident. */
export const letterKeys = createStore<{ readonly on: boolean }>(() => ({
  on: browserStorage.read(storageKey) !== 'off',
}));

export function setLetterKeys(on: boolean): void {
  browserStorage.keep(storageKey, on ? 'on' : 'off');
  letterKeys.setState({ on });
}

export function useShortcuts(open: OpenSong, help: () => void): void {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.defaultPrevented || wantsKey(event.target, event.key)) return;
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
        if (event.shiftKey) open.session.redo();
        else open.session.undo();
      } else if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'a') {
        if (!open.selectAllParts()) return;
      } else if (event.ctrlKey || event.metaKey || event.altKey) {
        return;
      } else if (!runPlain(open, event, help)) {
        return;
      }
      event.preventDefault();
    };
    addEventListener('keydown', onKey);
    return () => removeEventListener('keydown', onKey);
  }, [open, help]);
}

function runPlain(open: OpenSong, event: KeyboardEvent, help: () => void): boolean {
  const { playback } = open;
  const { monitoring, loop, looping } = playback.store.getState();
  switch (event.key) {
    case ' ':
      // One that was pressed by the mouse keeps the focus without showing it, and would be pressed again.
      if (event.target instanceof HTMLElement) event.target.blur();
      void playback.toggle();
      return true;
    case 'Home':
    case 'End': {
      const song = open.session.store.getState().song;
      const rate = song.rateHz ?? 48_000;
      if (event.shiftKey)
        setLoopEnd(open, event.key === 'Home' ? 'start' : 'end', songFrames(song), rate);
      else if (event.key === 'Home') playback.seek(looping && loop ? loop.start : 0);
      else return false;
      return true;
    }
    case '?':
      help();
      return true;
  }
  if (event.key === 'Escape' && open.audition.store.getState().trial) {
    open.audition.drop();
    return true;
  }
  if (event.key === 'Escape' && open.selection.getState().voiceId !== null) {
    open.selectVoice(null);
    return true;
  }
  if (!letterKeys.getState().on) return false;
  const digit = draftKey(event);
  if (digit) {
    if (event.shiftKey) open.keepDraft(digit);
    else open.recallDraft(digit);
    return true;
  }
  switch (event.key.toLowerCase()) {
    case 'f':
      playback.listen({ listening: monitoring.listening === 'fold' ? 'stereo' : 'fold' });
      return true;
    case 'p':
      open.togglePlain();
      return true;
    case 'l':
      playback.setLoop(loop, !looping);
      return true;
    case '-':
      playback.setOutput({ dimmed: !playback.store.getState().output.dimmed });
      return true;
    default: {
      const ids = partsOfKey(open.session.store.getState().song, event.key.toLowerCase());
      if (ids.length > 0) open.togglePlain(ids);
      return ids.length > 0;
    }
  }
}

/** The number of the draft that a key stands for; null for any other key, and where keys mean nothing. */
export function draftKey(event: Pick<KeyboardEvent, 'code'>): string | null {
  if (!letterKeys.getState().on) return null;
  // With Shift a digit's key says something else, and not the same on every keyboard.
  return /^(?:Digit|Numpad)([1-9])$/.exec(event.code)?.[1] ?? null;
}

const textKinds = ['checkbox', 'radio', 'range', 'button', 'submit', 'file', 'color'];

/**
 * Whether a key belongs to what has the focus: all of them to what is typed into and to a menu; Space and Enter to what
 * is pressed, where the focus is the keyboard's and shows; the arrows to what they move.
 */
export function wantsKey(target: EventTarget | null, key: string): boolean {
  if (!(target instanceof Element)) return false;
  if (target.closest('[contenteditable="true"]')) return true;
  if (target.matches('textarea, select')) return true;
  if (target instanceof HTMLInputElement && !textKinds.includes(target.type)) return true;
  if (key.startsWith('Arrow') || key === 'Home' || key === 'End')
    return target.matches('input[type="range"], input[type="radio"]');
  if (key !== ' ' && key !== 'Enter') return false;
  return (
    target.matches('button, summary, a[href], input, [role="button"]') &&
    target.matches(':focus-visible')
  );
}
