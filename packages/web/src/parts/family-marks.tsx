import {
  BellSimple,
  Guitar,
  Microphone,
  PianoKeys,
  WaveSine,
  WaveTriangle,
  Waves,
  type Icon,
} from '@phosphor-icons/react';
import type { Family } from '@pannet/core/song/song';

interface Mark {
  readonly label: string;
  readonly icon: Icon;
  /** Told apart by lightness as well as by hue; never the teal or the rust of the sides. */
  readonly tint: string;
}

export const familyMarks: Readonly<Record<Family, Mark>> = {
  voice: { label: 'Voice', icon: Microphone, tint: '#3d4f8a' },
  plucked: { label: 'Plucked', icon: Guitar, tint: '#7a5a00' },
  bowed: { label: 'Bowed', icon: WaveSine, tint: '#6b4a86' },
  keys: { label: 'Keys', icon: PianoKeys, tint: '#3f3b35' },
  low: { label: 'Low', icon: Waves, tint: '#1f3a52' },
  struck: { label: 'Struck', icon: WaveTriangle, tint: '#855f7a' },
  other: { label: 'Other', icon: BellSimple, tint: '#5c6b2f' },
};
