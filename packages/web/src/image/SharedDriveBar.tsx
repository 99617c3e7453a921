import { Plus } from '@phosphor-icons/react';
import { driveShapes, type DriveShape } from '@pannet/core/amps/drive';
import { usualSharedDrive, type SharedDrive } from '@pannet/core/amps/shared-drive';
import { sharedDriveParameters } from '@pannet/core/parameters/tables';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Part } from '@pannet/core/song/song';
import Button from 'react-bootstrap/Button';
import { NumberField } from '../controls/NumberField.tsx';
import { say } from '../controls/notices.ts';
import { useOpenSong } from '../session/use-open-song.ts';
import { tableChanges } from './voice-edits.ts';

type Name = keyof typeof sharedDriveParameters;
const labels: Readonly<Record<Name, string>> = {
  driveDb: 'Drive',
  toneDb: 'Tone',
  levelDb: 'Level',
};

/** The drive in front of all voices of a part. */
export function SharedDriveBar({ part }: { readonly part: Part }) {
  const open = useOpenSong();
  const { drive } = part.image;
  const edits = (next: SharedDrive | null): Edit[] => [
    { kind: 'set-shared-drive', partId: part.id, drive: next },
  ];
  /** Of the drive as it is kept: what is only tried is not built upon. */
  const keep = (changes: Partial<SharedDrive>) => {
    const before = open.keptPart(part.id)?.image.drive ?? usualSharedDrive;
    const after = { ...before, ...changes };
    const says = tableChanges(sharedDriveParameters, before, after);
    if (before.shape !== after.shape) says.push(`shape ${after.shape}`);
    if (says.length === 0) open.session.endPreview();
    else open.do(`${part.name}: before all voices ${says.join(', ')}`, edits(after));
  };
  if (!drive)
    return (
      <div className="shared-drive">
        <Button
          className="btn-tool"
          variant="light"
          title="A drive in front of all voices: it pushes every chain alike"
          onClick={() =>
            open.do(`${part.name}: a drive before all voices`, edits(usualSharedDrive))
          }
        >
          <Plus aria-hidden /> Drive before all
        </Button>
      </div>
    );
  return (
    <section className="shared-drive" aria-label="Drive before all voices">
      <b>Before all</b>
      {(Object.keys(labels) as Name[]).map((name) => (
        <label key={name} className="d-flex align-items-center gap-1">
          <span className="quiet">{labels[name]}</span>
          <NumberField
            parameter={sharedDriveParameters[name]}
            label={`${labels[name]} before all voices`}
            value={drive[name]}
            width={64}
            onPreview={(value) => open.preview(edits({ ...drive, [name]: value }))}
            onCommit={(value) => keep({ [name]: value })}
            onCancel={() => open.session.endPreview()}
            onRefuse={say}
          />
        </label>
      ))}
      <select
        className="plain-select"
        aria-label="Shape before all voices"
        value={drive.shape}
        onChange={(event) => keep({ shape: event.target.value as DriveShape })}
      >
        {driveShapes.map((shape) => (
          <option key={shape}>{shape}</option>
        ))}
      </select>
      <Button
        className="btn-tool"
        variant="light"
        aria-label="No drive before all voices"
        title="Take it away"
        onClick={() => open.do(`${part.name}: no drive before all voices`, edits(null))}
      >
        None
      </Button>
    </section>
  );
}
