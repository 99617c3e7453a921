import { useEffect, useRef, useState } from 'react';
import { sentenceOf } from '../api/request.ts';
import { say } from '../controls/notices.ts';
import { useRate } from '../session/use-open-song.ts';
import { keepImpulse, type KeptImpulse, type ResponseUse } from './keep-impulse.ts';

/** A recorded response on its way into the song: how much of it is there, and how it is brought and stopped. */
export function useComing(use: ResponseUse) {
  const rateHz = useRate();
  const [share, setShare] = useState<number | null>(null);
  const coming = useRef<AbortController | null>(null);
  useEffect(() => () => coming.current?.abort(), []);
  /**
   * Brings the first of these files.
   * @param take puts it where it belongs; says whether that was done
   * @param one who has but one of them: said where there are more
   */
  const bring = async (
    [file, ...others]: readonly File[],
    take: (kept: KeptImpulse) => boolean,
    one: string,
  ) => {
    // A drop may carry nothing that is a file.
    if ((file as File | undefined) === undefined) return;
    const left = others.map(({ name }) => `“${name}”`).join(', ');
    coming.current?.abort();
    const stop = new AbortController();
    coming.current = stop;
    setShare(0);
    try {
      const kept = await keepImpulse(file, use, rateHz, stop.signal, setShare);
      if (stop.signal.aborted) return;
      if (!kept.ok) say(kept.error.sentence);
      else if (take(kept.value))
        say(
          left === ''
            ? kept.value.remark
            : `${kept.value.remark} ${one} has one: ${left} was not taken.`,
        );
    } catch (error) {
      if (!stop.signal.aborted) say(`“${file.name}”: ${sentenceOf(error)}`);
    } finally {
      if (coming.current === stop) setShare(null);
    }
  };
  return { share, bring, stop: () => coming.current?.abort() };
}
