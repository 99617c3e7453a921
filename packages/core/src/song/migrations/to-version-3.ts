/**
 * Format 3 lets a part say which voice plain is and which key flips it, and keeps what was compared blind. Parts start with
 * the take as plain and the key of their row.
 */
interface Saved {
  readonly [key: string]: unknown;
}

const part = (saved: Saved): Saved => ({ ...saved, plainVoice: null, toggleKey: null });

export function toVersion3(saved: Saved): Saved {
  const parts = Object.entries(saved.parts as Record<string, Saved>);
  return {
    ...saved,
    parts: Object.fromEntries(parts.map(([id, each]) => [id, part(each)])),
    comparisons: [],
  };
}

/** An edit as the log of a song in format 2 keeps it. */
export function editToVersion3(edit: Saved): Saved {
  return edit.kind === 'add-part' ? { ...edit, part: part(edit.part as Saved) } : edit;
}
