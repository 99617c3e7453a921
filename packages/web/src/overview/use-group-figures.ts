import { useEffect, useMemo } from 'react';
import { useStore } from 'zustand';
import { GroupComparing } from '../comparing/group-comparing.ts';
import { heardAsMoved } from '../comparing/levels-moved.ts';
import { say } from '../controls/notices.ts';
import { GroupFigures } from '../measuring/group-figures.ts';
import { useOpenSong, usePlayback, useSession } from '../session/use-open-song.ts';

/** Figures of the groups, and their drafts at equal loudness, for as long as they are looked at. */
export function useGroupFigures(): {
  readonly figures: GroupFigures;
  readonly comparing: GroupComparing;
} {
  const { playback, session, comparing: ofParts } = useOpenSong();
  const figures = useMemo(
    () => new GroupFigures((song) => playback.wholeSplices(song)),
    [playback],
  );
  const comparing = useMemo(() => new GroupComparing(figures), [figures]);
  const song = useSession((state) => state.song);
  const loop = usePlayback((state) => (state.looping ? state.loop : null));
  const playing = usePlayback((state) => state.state !== 'stopped');
  const mode = useStore(ofParts.store, (state) => state.mode);
  useEffect(() => figures.update(song, loop), [figures, song, loop]);
  useEffect(() => figures.setPlaying(playing), [figures, playing]);
  useEffect(
    () =>
      session.store.subscribe((state, before) => {
        if (state.song === before.song) return;
        for (const name of comparing.follow(state.song, before.song)) say(heardAsMoved(name));
      }),
    [session, comparing],
  );
  useEffect(() => {
    const match = () => {
      const before = playback.store.getState().monitoring.groups;
      const groups = comparing.gains(session.store.getState().song, mode, before);
      if (JSON.stringify(groups) !== JSON.stringify(before)) playback.listen({ groups });
    };
    const ends = [
      comparing.store.subscribe(match),
      figures.store.subscribe(match),
      session.store.subscribe((state, before) => state.song !== before.song && match()),
    ];
    match();
    return () => {
      for (const end of ends) end();
    };
  }, [playback, session, figures, comparing, mode]);
  useEffect(
    () => () => {
      figures.close();
      playback.listen({ groups: {} });
    },
    [figures, playback],
  );
  return useMemo(() => ({ figures, comparing }), [figures, comparing]);
}
