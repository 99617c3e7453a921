import { impulseSamples } from '@pannet/core/amps/cabinet-response';
import type { PartPlan } from '@pannet/core/rendering/plan';
import { unreadImpulses } from '@pannet/core/rendering/strand-response';
import { useEffect, useState } from 'react';
import { sentenceOf } from '../api/request.ts';
import { say } from '../controls/notices.ts';
import { RecordingReader } from '../playback/recording-reader.ts';
import { useRecordings } from '../session/use-open-song.ts';

const reader = new RecordingReader(8e6);

/** Reads the recorded impulse responses of a plan, by which its fold is foretold. @returns a number that changes once they are there */
export function useImpulses(plan: PartPlan | null): number {
  const recordings = useRecordings();
  const [times, setTimes] = useState(0);
  const unread = plan ? unreadImpulses(plan) : [];
  const keys = unread.map(({ key }) => key).join(' ');
  useEffect(() => {
    if (keys === '') return;
    let left = false;
    reader.know(recordings);
    Promise.all(unread.map((source) => impulseSamples(source, reader.load)))
      .then(() => !left && setTimes((n) => n + 1))
      .catch((error: unknown) => say(sentenceOf(error)));
    return () => {
      left = true;
    };
    // The same sources have the same keys.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [keys]);
  return times;
}
