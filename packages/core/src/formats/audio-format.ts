export type AudioFormat = 'WAV' | 'FLAC' | 'MP3' | 'Ogg Vorbis' | 'AIFF';

/** By its first bytes, not by its name; null for what is none of them. */
export function formatOf(bytes: Uint8Array): AudioFormat | null {
  const text = (from: number, to: number) => String.fromCharCode(...bytes.subarray(from, to));
  if (['RIFF', 'RF64', 'BW64'].includes(text(0, 4))) return 'WAV';
  if (text(0, 4) === 'fLaC') return 'FLAC';
  if (text(0, 4) === 'OggS') return 'Ogg Vorbis';
  if (text(0, 4) === 'FORM' && /^AIF[FC]$/.test(text(8, 12))) return 'AIFF';
  // An ID3 tag, or the eleven set bits that every MPEG audio frame begins with, and layer 3.
  if (text(0, 3) === 'ID3') return 'MP3';
  if (bytes[0] === 0xff && (bytes[1] & 0xe6) === 0xe2) return 'MP3';
  return null;
}
