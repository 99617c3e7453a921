import type { Listening } from '@pannet/core/rendering/listening';
import Dropdown from 'react-bootstrap/Dropdown';
import { useOpenSong, usePlayback } from '../session/use-open-song.ts';

type Named = readonly [listening: Listening, label: string, title: string];

const often: readonly Named[] = [
  ['stereo', 'Stereo', 'As it is'],
  ['fold', 'Fold', 'Mono sum: (L+R)/2 on both speakers (F)'],
  ['difference', 'Difference', '(L−R)/2: what the fold loses'],
  ['left', 'L', 'The left side alone'],
  ['right', 'R', 'The right side alone'],
];

const atTimes: readonly Named[] = [
  ['swapped', 'Swapped', 'L and R change places'],
  ['phone', 'Phone', 'The fold through one small speaker'],
  [
    'headphones',
    'Headphones',
    'On headphones, as a pair of loudspeakers sounds: each ear hears both',
  ],
];

/** In which way all that sounds is heard. */
export function Hear() {
  const { playback } = useOpenSong();
  const listening = usePlayback((state) => state.monitoring.listening);
  const hear = (value: Listening) => playback.listen({ listening: value });
  const other = atTimes.find(([value]) => value === listening);
  return (
    <span className="listening" role="group" aria-label="Hear">
      {often.map(([value, label, title]) => (
        <button
          key={value}
          type="button"
          title={title}
          aria-pressed={listening === value}
          onClick={() => hear(value)}
        >
          {label}
        </button>
      ))}
      <Dropdown drop="up">
        <Dropdown.Toggle
          as="button"
          type="button"
          bsPrefix="hear-more"
          aria-label={other ? `Hear: ${other[1]}` : 'Hear in other ways'}
          aria-pressed={other !== undefined}
        >
          {other ? other[1] : 'more'} ▴
        </Dropdown.Toggle>
        <Dropdown.Menu>
          {atTimes.map(([value, label, title]) => (
            <Dropdown.Item
              key={value}
              as="button"
              active={listening === value}
              onClick={() => hear(value)}
            >
              {label} <span className="small quiet d-block">{title}</span>
            </Dropdown.Item>
          ))}
        </Dropdown.Menu>
      </Dropdown>
    </span>
  );
}
