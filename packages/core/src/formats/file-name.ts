/** Longest name that every usual file system takes, with room for an ending and a number. */
const longest = 120;

/** Separators and signs that some file system forbids, control characters, and those that turn the direction of text. */
const unsafe = /[/\\:*?"<>|\u0000-\u001f\u007f-\u009f\u200e\u200f\u202a-\u202e\u2066-\u2069]/g;

/** Half of a sign that takes two. */
const half = /\p{Surrogate}/gu;

/** Names that Windows keeps for devices (Microsoft, "Naming Files, Paths, and Namespaces"). */
const devices = /^(con|prn|aux|nul|com\d|lpt\d)(?=\.|$)/i;

/**
 * A name that stays where it is put: no folder, no device, nothing hidden, whatever the file was called that it comes from.
 * @param name without its ending
 */
export function safeFileName(name: string): string {
  const plain = name
    .replace(half, '_')
    .replace(unsafe, '_')
    .replace(/^[\s.]+/, '')
    .slice(0, longest)
    .replace(/[\s.]+$/, '')
    .replace(devices, '_$1');
  return plain === '' ? 'part' : plain.replace(half, '_');
}

/** Whether a file holds notes and no sound, by its name. */
export function isMidiFile(name: string): boolean {
  return /\.(mid|midi|smf)$/i.test(name);
}
