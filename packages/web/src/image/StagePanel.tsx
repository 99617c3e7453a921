import type { Stage } from '@pannet/core/image/stage';
import type { Parameter } from '@pannet/core/parameters/parameter';
import {
  lowMonoParameters,
  openingParameters,
  stageParameters,
} from '@pannet/core/parameters/tables';
import { figure } from '@pannet/core/quantities/wording';
import { junction, offeredCorner, type Junction } from '@pannet/core/rendering/junction';
import type { Part } from '@pannet/core/song/song';
import { useMemo } from 'react';
import Button from 'react-bootstrap/Button';
import { NumberField } from '../controls/NumberField.tsx';
import { ParameterRow } from '../controls/ParameterRow.tsx';
import { useOpenSong, usePanLaw, useRate } from '../session/use-open-song.ts';
import { StageDrawing } from './StageDrawing.tsx';
import { tableChanges, valueText } from './voice-edits.ts';

type Change = Partial<Stage>;

/** Previews and keeps changes of the stage, named for undo. */
export function useStageEdits(part: Part) {
  const open = useOpenSong();
  const edits = (changes: Change) => [{ kind: 'set-stage' as const, partId: part.id, changes }];
  const confirmed = () => open.keptPart(part.id)?.image.stage ?? part.image.stage;
  const onKept = (changes: Change) => open.onKept(part.id, part.image.stage, confirmed(), changes);
  return {
    preview: (changes: Change) => open.preview(edits(onKept(changes))),
    cancel: () => open.session.endPreview(),
    commit: (shown: Change) => {
      const changes = onKept(shown);
      const before = confirmed();
      const after = { ...before, ...changes };
      const says = [
        ...tableChanges(stageParameters, before, after),
        ...tableChanges(lowMonoParameters, before.lowMono, after.lowMono),
        ...tableChanges(openingParameters, before.opening, after.opening),
        ...(before.lowMono.kind === after.lowMono.kind
          ? []
          : [`low end by the ${after.lowMono.kind}`]),
      ];
      if (says.length === 0) open.session.endPreview();
      else open.do(`${part.name}: ${says.join(', ')}`, edits(changes));
    },
  };
}

/** What is done to the stereo sum of the voices. */
export function StagePanel({ part }: { readonly part: Part }) {
  const panLaw = usePanLaw();
  const { stage } = part.image;
  const { preview, commit, cancel } = useStageEdits(part);
  const rateHz = useRate();
  const meets = useMemo(() => junction(part.image, panLaw, rateHz), [part.image, panLaw, rateHz]);
  const row = (
    name: 'widthPercent' | 'tiltDb' | 'balancePercent' | 'trimDb',
    ends?: readonly string[],
  ) => (
    <ParameterRow
      parameter={stageParameters[name]}
      value={stage[name]}
      ends={ends}
      onPreview={(value) => preview({ [name]: value })}
      onCommit={(value) => commit({ [name]: value })}
      onCancel={cancel}
    />
  );
  const opening = (name: keyof Stage['opening'], parameter: Parameter) => (
    <ParameterRow
      parameter={parameter}
      value={stage.opening[name]}
      slider={false}
      onPreview={(value) => preview({ opening: { ...stage.opening, [name]: value } })}
      onCommit={(value) => commit({ opening: { ...stage.opening, [name]: value } })}
      onCancel={cancel}
    />
  );
  return (
    <>
      <StageDrawing part={part} meets={meets} />
      {row('widthPercent', ['mono', 'as it is', 'doubled'])}
      <LowEnd part={part} meets={meets} />
      {opening('thresholdDb', openingParameters.thresholdDb)}
      {stage.opening.thresholdDb !== null && (
        <>
          {opening('attackMs', openingParameters.attackMs)}
          {opening('releaseMs', openingParameters.releaseMs)}
        </>
      )}
      {row('tiltDb', ['darker', 'even', 'brighter'])}
      {row('balancePercent', ['L', 'even', 'R'])}
      {row('trimDb')}
    </>
  );
}

/** The level of all voices but the one in the middle: it stands beside them. */
export function Flanks({ part }: { readonly part: Part }) {
  const { preview, commit, cancel } = useStageEdits(part);
  const parameter = stageParameters.flanksDb;
  return (
    <label
      className="small quiet d-inline-flex align-items-center gap-1"
      title="Flanks: the level of the sides, all voices but those in the middle"
    >
      Flanks
      <NumberField
        parameter={parameter}
        label={parameter.label}
        value={part.image.stage.flanksDb}
        width={78}
        onPreview={(flanksDb) => preview({ flanksDb })}
        onCommit={(flanksDb) => commit({ flanksDb })}
        onCancel={cancel}
      />
    </label>
  );
}

function LowEnd({ part, meets }: { readonly part: Part; readonly meets: Junction | null }) {
  const panLaw = usePanLaw();
  const { lowMono } = part.image.stage;
  const { preview, commit, cancel } = useStageEdits(part);
  const rateHz = useRate();
  const offered = useMemo(
    () => (meets ? offeredCorner(part.image, panLaw, rateHz) : null),
    [meets, part.image, panLaw, rateHz],
  );
  const set = (hz: number | null) => ({ lowMono: { ...lowMono, hz } });
  return (
    <>
      <ParameterRow
        parameter={lowMonoParameters.hz}
        value={lowMono.hz}
        onPreview={(hz) => preview(set(hz))}
        onCommit={(hz) => commit(set(hz))}
        onCancel={cancel}
      />
      {lowMono.hz !== null && (
        <div className="mb-2 small">
          <select
            className="plain-select w-100"
            aria-label="How the low end is brought to the middle"
            value={lowMono.kind}
            onChange={(event) =>
              commit({
                lowMono: { ...lowMono, kind: event.target.value as Stage['lowMono']['kind'] },
              })
            }
          >
            <option value="anchor">one voice carries it</option>
            <option value="difference">the difference is cut</option>
          </select>
          {meets && (
            <p className="quiet m-0 mt-1">
              {meets.deepestDb > -0.3
                ? 'Both halves meet in phase.'
                : `They meet ${figure(-meets.deepestDb, 1)} dB short at ${figure(meets.deepestHz, 0)} Hz.`}
            </p>
          )}
          {offered !== null && (
            <Button
              size="sm"
              variant="outline-primary"
              className="mt-1 w-100"
              onClick={() => commit(set(offered))}
            >
              Move the corner to {valueText(lowMonoParameters.hz, offered)} Hz
            </Button>
          )}
        </div>
      )}
    </>
  );
}
