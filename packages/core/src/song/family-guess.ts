import type { SourceFacts } from '../sources/facts.ts';
import type { Family } from './part.ts';

/**
 * Words in file names that tell a family, the surest first: common practice of naming stems. Short ones count only where they stand alone.
 */
const familyWords: readonly (readonly [Family, RegExp])[] = [
  [
    'struck',
    /drum|perc|clap|tamb|shak|snare|kick|cymbal|tabla|conga|bongo|\bhats?\b|\btoms?\b|\b(?:bd|sn|sd|hh|oh)\b/i,
  ],
  ['low', /bass|sub\b|\blow\b/i],
  ['plucked', /guit|g(?:ui)?ta?r|\bgit\b|harp(?!s)|pluck|mandol|banjo|ukul|lute|kora/i],
  ['voice', /vo[cx]|sing|\bhum\b|choir|lead|speech|spoken|talk/i],
  ['bowed', /string|bow|cell|viol|fiddle/i],
  ['keys', /key|piano|\bpno\b|organ|reed|synth|rhodes|clav|bells?\b/i],
];

/** A name's parts stand alone whether spaces, dashes, dots or underscores part them, numbers aside. */
const parted = (fileName: string) =>
  fileName
    .replace(/\.[^.]*$/, '')
    .replace(/([a-z])([A-Z])/g, '$1 $2')
    .replace(/[_\-.\d]+/g, ' ');

/**
 * What a source most likely is, by its name, and where that tells nothing by its sound: blows that die away are struck. A guess, to be
 * said as one.
 */
export function guessFamily(fileName: string, facts?: Pick<SourceFacts, 'struck'>): Family {
  const name = parted(fileName);
  const told = familyWords.find(([, words]) => words.test(name))?.[0];
  return told ?? (facts?.struck ? 'struck' : 'other');
}
