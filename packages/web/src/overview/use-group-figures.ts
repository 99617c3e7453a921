import { useEffect, useMemo } from 'react';
import { GroupFigures } from '../measuring/group-figures.ts';
import { useOpenSong, usePlayback, useSession } from '../session/use-open-song.ts';

/** Figures of the groups, for as long as they are looked at. */
export function useGroupFigures(): GroupFigures {
  const { playback } = useOpenSong();
  const figures = useMemo(
    () => new GroupFigures((song) => playback.wholeSplices(song)),
    [playback],
  );
  const song = useSession((state) => state.song);
  const loop = usePlayback((state) => (state.looping ? state.loop : null));
  const playing = usePlayback((state) => state.state !== 'stopped');
  useEffect(() => figures.update(song, loop), [figures, song, loop]);
  useEffect(() => figures.setPlaying(playing), [figures, playing]);
  useEffect(() => () => figures.close(), [figures]);
  return figures;
}
