import { Scales, Trash } from '@phosphor-icons/react';
import { signedFigure } from '@pannet/core/quantities/wording';
import { useEffect, useMemo } from 'react';
import Button from 'react-bootstrap/Button';
import { useStore } from 'zustand';
import { BesideBed } from '../comparing/beside-bed.ts';
import { Progress } from '../controls/Progress.tsx';
import { useOpenSong, useSession } from '../session/use-open-song.ts';

/** The bed, which is set beside the mix of all parts, equally loud. */
export function BedRow({ fileName }: { readonly fileName: string }) {
  const open = useOpenSong();
  const beside = useMemo(() => new BesideBed(open.session, open.playback), [open]);
  const { alone, matchedDb, matchedTo, share } = useStore(beside.store);
  const stale = useSession(({ shown }) => shown !== matchedTo);
  useEffect(() => () => beside.end(), [beside]);
  return (
    <div className="small">
      <div className="d-flex align-items-center gap-2">
        <span className="text-truncate flex-grow-1" title={fileName}>
          Bed: {fileName}
        </span>
        <Button
          className="btn-tool"
          variant="light"
          aria-label="Hear the bed alone, as loud as the mix"
          title="Hear the bed alone, as loud as the mix of all parts; press again for the mix"
          aria-pressed={alone}
          active={alone}
          onClick={() => void beside.toggle()}
        >
          <Scales aria-hidden />
        </Button>
        <Button
          className="btn-tool"
          variant="light"
          aria-label="Remove the bed"
          onClick={() => {
            beside.end();
            open.do('remove the bed', [{ kind: 'set-bed', bed: null }]);
          }}
        >
          <Trash aria-hidden />
        </Button>
      </div>
      {share !== null && <Progress share={share} label="Measuring bed and mix" />}
      {alone && matchedDb !== null && (
        <p className="quiet m-0" role="status">
          alone, {signedFigure(matchedDb, 1)} dB:{' '}
          {stale ? 'as loud as the mix was before the last change' : 'as loud as the mix'}
        </p>
      )}
    </div>
  );
}
