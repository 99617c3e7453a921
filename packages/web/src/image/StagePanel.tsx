import { stageParameters } from '@pannet/core/parameters/tables';
import type { Stage } from '@pannet/core/image/image';
import { figure, signedFigure } from '@pannet/core/quantities/wording';
import type { Edit } from '@pannet/core/song/edits';
import type { Part } from '@pannet/core/song/song';
import { NumberField } from '../controls/NumberField.tsx';
import { Slider } from '../controls/Slider.tsx';
import { say } from '../controls/notices.ts';
import { useOpenSong } from '../song/open-song.ts';

/** What is done to the stereo sum of the voices. */
export function StagePanel({ part }: { readonly part: Part }) {
  const { stage } = part.image;
  return (
    <>
      <WidthDrawing widthPercent={stage.widthPercent} />
      <StageRow part={part} name="widthPercent" ends={['mono', 'as it is', 'doubled']} />
      <StageRow part={part} name="balancePercent" ends={['L', 'even', 'R']} />
      <StageRow part={part} name="trimDb" />
    </>
  );
}

interface RowProps {
  readonly part: Part;
  readonly name: keyof Stage;
  readonly ends?: readonly [string, string, string];
}

function StageRow({ part, name, ends }: RowProps) {
  const open = useOpenSong();
  const parameter = stageParameters[name];
  const value = part.image.stage[name];
  const edit = (next: number): Edit[] => [
    { kind: 'set-stage', partId: part.id, changes: { [name]: next } },
  ];
  const commit = (next: number) => {
    const before = open.session.store.getState().song.parts[part.id].image.stage[name];
    if (next === before) open.session.endPreview();
    else
      open.do(
        `${part.name}: ${parameter.label.toLowerCase()} ${write(name, before)} → ${write(name, next)} ${parameter.unit}`,
        edit(next),
      );
  };
  return (
    <div className="mb-2">
      <div className="d-flex align-items-center">
        <span className="flex-grow-1">{parameter.label}</span>
        <NumberField
          parameter={parameter}
          value={value}
          width={76}
          onPreview={(next) => open.preview(edit(next))}
          onCommit={commit}
          onCancel={() => open.session.endPreview()}
          onRefuse={say}
        />
      </div>
      <Slider
        parameter={parameter}
        value={value}
        label={`${parameter.label}, slider`}
        onPreview={(next) => open.preview(edit(next))}
        onCommit={commit}
      />
      {ends && (
        <div
          className="d-flex justify-content-between quiet"
          style={{ fontSize: 12, marginTop: -4 }}
          aria-hidden
        >
          {ends.map((end) => (
            <span key={end}>{end}</span>
          ))}
        </div>
      )}
    </div>
  );
}

const write = (name: keyof Stage, value: number) =>
  name === 'widthPercent' ? figure(value, 0) : signedFigure(value, name === 'trimDb' ? 1 : 0);

/** Difference against middle: the middle is a line, the difference the lens round it, as high as the width. */
function WidthDrawing({ widthPercent }: { readonly widthPercent: number }) {
  const half = (widthPercent / 200) * 26;
  return (
    <svg
      viewBox="0 0 172 64"
      width="100%"
      role="img"
      aria-label={`Difference at ${widthPercent} % of the middle`}
      className="mb-1"
    >
      <path d="M20 6v52M166 6v52" stroke="var(--edge)" />
      <path d="M20 19h146M20 45h146" stroke="var(--rule)" strokeDasharray="3 3" />
      <path
        d={`M20 32C60 ${32 - half} 126 ${32 - half} 166 32C126 ${32 + half} 60 ${32 + half} 20 32Z`}
        fill="var(--rule)"
        stroke="var(--quiet)"
      />
      <path d="M20 32h146" stroke="var(--ink)" strokeWidth={1.5} />
      <text x={4} y={18} fontSize={12} fill="var(--quiet)">
        S
      </text>
      <text x={4} y={36} fontSize={12} fill="var(--ink)">
        M
      </text>
    </svg>
  );
}
