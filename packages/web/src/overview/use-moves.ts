import type { Curve } from '@pannet/core/moves/curve';
import { withMove, type MoveTarget } from '@pannet/core/song/moves-of';
import { useOpenSong, useRate } from '../session/use-open-song.ts';

/** Sets what moves along the song. */
export function useMoves() {
  const open = useOpenSong();
  const rateHz = useRate();
  const edits = (target: MoveTarget, curve: Curve | null) => {
    const { song } = open.session.store.getState();
    const moves = withMove(song, target, curve, crypto.randomUUID());
    return [{ kind: 'set-moves', moves } as const];
  };
  const keep = (step: string, target: MoveTarget, curve: Curve | null) =>
    void open.do(step, edits(target, curve));
  return {
    keep,
    preview: (target: MoveTarget, curve: Curve) => open.preview(edits(target, curve)),
    cancel: () => open.session.endPreview(),
    /** From where it is heard on: a first point, which changes nothing yet. */
    begin: (step: string, target: MoveTarget) => {
      const atS = open.playback.store.getState().frame / rateHz;
      keep(step, target, { kind: 'points', points: [{ atS, by: 0, shape: 'straight' }] });
    },
  };
}
