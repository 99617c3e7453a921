import { curveAt } from '@pannet/core/moves/curve';
import type { Points } from '@pannet/core/moves/points';
import type { MoveTarget } from '@pannet/core/song/moves-of';
import { movingWords } from '@pannet/core/song/settings';
import { useEffect, useRef, useState } from 'react';
import Form from 'react-bootstrap/Form';
import { say } from '../controls/notices.ts';
import { isMoved } from '../controls/range.ts';
import { useOpenSong, usePlayback, useRate } from '../session/use-open-song.ts';
import { Hand } from '../session/hand.ts';
import { axisOf, moveAxes } from './move-axis.ts';

interface Props {
  readonly name: string;
  readonly target: MoveTarget;
  /** What is set, where that is part of what is drawn. */
  readonly base: number;
  readonly curve: Points;
}

/** Held while it plays, it writes where it stands; let go of, that is one step, as few points as say it. */
export function WriteFader({ name, target, base, curve }: Props) {
  const { session, playback } = useOpenSong();
  const rateHz = useRate();
  const playing = usePlayback(({ state }) => state === 'playing');
  const hand = useRef<Hand | null>(null);
  /** Of the axis, from 0 to 1. */
  const held = useRef(0);
  const [shown, setShown] = useState<number | null>(null);
  const { parameter } = target;
  const { text } = moveAxes[parameter];
  const axis = axisOf(parameter, base);

  const begin = (place: number) => {
    if (hand.current) return;
    if (playback.store.getState().state !== 'playing') {
      say('It is written while it plays: press play, then hold it.');
      return;
    }
    held.current = place;
    const ended = () => {
      hand.current = null;
      setShown(null);
    };
    hand.current = new Hand(session, playback, (edits) => void session.preview(edits), ended);
    hand.current.hold(target, () => axis.addedBy(axis.at(held.current)));
  };
  const end = () => {
    hand.current?.letGo();
    hand.current = null;
    setShown(null);
  };
  // What is still held where the lane goes away is kept.
  const ends = useRef(end);
  useEffect(() => {
    ends.current = end;
  });
  useEffect(() => () => ends.current(), []);

  const here = () =>
    axis.place(
      axis.shown(curveAt(curve, playback.store.getState().frame / rateHz, null, parameter)),
    );
  const place = shown ?? here();
  return (
    <Form.Range
      className="write-fader"
      aria-label={`Write the ${movingWords[parameter]} of ${name} while it plays`}
      aria-valuetext={text(axis.at(place))}
      title="Hold it while it plays: what you do is written"
      min={0}
      max={1}
      step={0.005}
      value={place}
      onPointerDown={() => begin(place)}
      onChange={(event) => {
        if (!isMoved(event)) return;
        const to = Number(event.target.value);
        begin(to);
        held.current = to;
        setShown(playing ? to : null);
      }}
      onPointerUp={end}
      onPointerCancel={end}
      onKeyUp={end}
      onBlur={end}
    />
  );
}
