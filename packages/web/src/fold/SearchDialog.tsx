import { contentKey } from '@pannet/core/song/content-key';
import { foldStrain, type Setting } from '@pannet/core/findings/safer';
import { allMayChange, type MayChange } from '@pannet/core/findings/variations';
import { figure, plural, signedFigure } from '@pannet/core/quantities/wording';
import type { Part } from '@pannet/core/song/song';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import Modal from 'react-bootstrap/Modal';
import {
  CartesianGrid,
  ReferenceArea,
  ReferenceLine,
  Scatter,
  ScatterChart,
  XAxis,
  YAxis,
} from 'recharts';
import { useStore } from 'zustand';
import { Progress } from '../controls/Progress.tsx';
import type { PartMeasures } from '../measuring/analyst.ts';
import type { SearchState } from '../measuring/mender.ts';
import { useOpenSong, useSession } from '../session/use-open-song.ts';

export interface SaferProps {
  /** As it is, not as something that is tried makes it. */
  readonly part: Part;
  readonly measures: PartMeasures;
}

const mayNames: Readonly<Record<keyof MayChange, string>> = {
  delay: 'delays',
  cents: 'cents',
  polarity: 'polarity',
  placement: 'placement',
  mirrored: 'mirrored share',
};

/** The search itself: what may change, how far it is, what was found. */
export function SearchDialog({
  part,
  measures,
  onClose,
}: SaferProps & { readonly onClose: () => void }) {
  const open = useOpenSong();
  const [may, setMay] = useState<MayChange>(allMayChange);
  const song = useSession((state) => state.song);
  const latest = useStore(open.mender.store, (state) => state.search);
  const trial = useStore(open.audition.store, (state) => state.trial);
  const search =
    latest && latest.partId === part.id && latest.key === contentKey(song, part) ? latest : null;
  const rate = open.session.store.getState().song.rateHz ?? 48_000;
  const around = measures.from / rate + (measures.measured.report.overTime.worst?.fromSeconds ?? 0);
  const idOf = (setting: Setting) => `safer/${part.id}/${setting.words}`;
  const tried = search?.tried.find((setting) => trial?.id === idOf(setting)) ?? null;
  const play = (setting: Setting) =>
    open.audition.begin({
      id: idOf(setting),
      partId: part.id,
      name: `${part.name}: ${setting.words}`,
      edits: [{ kind: 'set-image', partId: part.id, image: setting.image }],
    });
  const keep = () => {
    if (trial && open.do(trial.name, trial.edits)) onClose();
  };
  return (
    <Modal
      show
      size="lg"
      onHide={() => {
        open.audition.drop();
        onClose();
      }}
      centered
    >
      <Modal.Header closeButton>
        <Modal.Title as="h2" className="h6">
          A safer setting for {part.name}
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <div className="d-flex flex-wrap align-items-center gap-3 mb-2">
          <span>May change:</span>
          {(Object.keys(mayNames) as (keyof MayChange)[]).map((key) => (
            <Form.Check
              key={key}
              id={`may-${key}`}
              label={mayNames[key]}
              checked={may[key]}
              disabled={search?.running}
              onChange={(event) => setMay({ ...may, [key]: event.target.checked })}
            />
          ))}
          <span className="flex-grow-1" />
          {search?.running ? (
            <Button size="sm" variant="outline-primary" onClick={() => open.mender.stopSearch()}>
              Stop
            </Button>
          ) : (
            <Button
              size="sm"
              disabled={!Object.values(may).some(Boolean)}
              onClick={() => {
                open.audition.drop();
                open.mender.search(part, may, around);
              }}
            >
              {search ? 'Search again' : 'Search'}
            </Button>
          )}
        </div>
        <Progress share={search?.share ?? 0} label="Searching" className="mb-2" />
        {search?.begun ? (
          <>
            <Outcome search={search} tried={tried} onPlay={play} />
            <Chosen search={search} tried={tried} onPlay={play} />
          </>
        ) : (
          <p className="quiet">
            {search
              ? 'Measuring the setting that is there …'
              : 'Some ninety settings are rendered and measured. Those that keep S/M within 1 dB and fold better can be played from the chart, at matched loudness, and one of them kept.'}
          </p>
        )}
      </Modal.Body>
      <Modal.Footer>
        <Button
          variant="outline-primary"
          onClick={() => {
            open.audition.drop();
            onClose();
          }}
        >
          Leave it as it is
        </Button>
        <Button disabled={!tried} onClick={keep}>
          Keep this setting
        </Button>
      </Modal.Footer>
    </Modal>
  );
}

interface OutcomeProps {
  readonly search: SearchState;
  readonly tried: Setting | null;
  readonly onPlay: (setting: Setting) => void;
}

interface Point {
  readonly width: number;
  readonly fold: number;
  readonly setting: Setting;
}

const chartWidth = 740;
const chartHeight = 280;
/** The worst that is drawn; worse ones lie on the edge. */
const mostStrain = 4;

/** Width against fold: what was tried, where it began, what is best. */
function Outcome({ search: { begun, tried: all, best }, tried, onPlay }: OutcomeProps) {
  if (!begun) return null;
  const point = (setting: Setting): Point => ({
    width: Math.max(begun.sideToMidDb - 8, Math.min(begun.sideToMidDb + 8, setting.sideToMidDb)),
    fold: Math.min(mostStrain, foldStrain(setting)),
    setting,
  });
  const play = (clicked: { payload?: unknown }) => onPlay((clicked.payload as Point).setting);
  return (
    <figure className="m-0">
      <ScatterChart
        width={chartWidth}
        height={chartHeight}
        margin={{ top: 8, right: 12, bottom: 26, left: 6 }}
      >
        <CartesianGrid stroke="var(--rule)" strokeDasharray="2 3" />
        <XAxis
          dataKey="width"
          type="number"
          domain={[begun.sideToMidDb - 8, begun.sideToMidDb + 8]}
          ticks={[-8, -4, -1, 0, 1, 4, 8].map((by) => begun.sideToMidDb + by)}
          tickFormatter={(value: number) => signedFigure(value, 1)}
          label={{ value: 'S/M, dB', position: 'bottom', offset: 4, fontSize: 12 }}
          tick={{ fontSize: 12, fill: 'var(--quiet)' }}
          stroke="var(--edge)"
        />
        <YAxis
          dataKey="fold"
          type="number"
          reversed
          domain={[0, mostStrain]}
          ticks={[0, 1, 2, 3, 4]}
          label={{ value: 'fold: 1 is the edge of “holds”', angle: -90, fontSize: 12, dx: -14 }}
          tick={{ fontSize: 12, fill: 'var(--quiet)' }}
          stroke="var(--edge)"
        />
        <ReferenceArea
          x1={begun.sideToMidDb - 1}
          x2={begun.sideToMidDb + 1}
          fill="var(--rule)"
          fillOpacity={0.5}
        />
        <ReferenceLine y={1} stroke="var(--edge)" strokeDasharray="4 3" />
        <Scatter
          data={all.filter(({ widthKept }) => !widthKept).map(point)}
          fill="var(--edge)"
          fillOpacity={0.5}
          shape="cross"
          isAnimationActive={false}
          onClick={play}
        />
        <Scatter
          data={all.filter(({ widthKept }) => widthKept).map(point)}
          fill="var(--ink)"
          shape="circle"
          isAnimationActive={false}
          onClick={play}
          cursor="pointer"
        />
        <Scatter
          data={[point(begun)]}
          fill="var(--breaks)"
          shape="square"
          isAnimationActive={false}
        />
        {best && best !== begun && (
          <Scatter
            data={[point(best)]}
            fill="var(--ink)"
            shape="star"
            isAnimationActive={false}
            onClick={play}
          />
        )}
        {tried && (
          <Scatter
            data={[point(tried)]}
            fill="none"
            stroke="var(--ink)"
            strokeWidth={2}
            shape="diamond"
            isAnimationActive={false}
          />
        )}
      </ScatterChart>
      <figcaption className="quiet small">
        ■ where it began · ● keeps the width (press to hear) · ★ the best of them · ✚ too wide or
        too narrow · ◇ heard now
      </figcaption>
    </figure>
  );
}

/** The best of them in figures, as a list that the keyboard reaches. */
function Chosen({ search: { begun, tried: all, best }, tried, onPlay }: OutcomeProps) {
  if (!begun) return null;
  const kept = all
    .filter((setting) => setting.widthKept && foldStrain(setting) < foldStrain(begun))
    .sort((a, b) => foldStrain(a) - foldStrain(b))
    .slice(0, 4);
  const figures = ({ sideToMidDb, dropLu, dipDb, verdict }: Setting) =>
    `S/M ${signedFigure(sideToMidDb, 1)} dB · drop ${figure(dropLu, 1)} LU · dip ${figure(dipDb, 1)} dB · ${verdict}`;
  return (
    <table className="small mt-2 w-100 safer-table">
      <tbody>
        <tr>
          <td className="quiet">as it is</td>
          <td className="mono">{figures(begun)}</td>
          <td />
        </tr>
        {kept.map((setting) => (
          <tr key={setting.words} className={setting === tried ? 'fw-semibold' : undefined}>
            <td>
              {setting.words}
              {setting === best && ' ★'}
            </td>
            <td className="mono">{figures(setting)}</td>
            <td className="text-end">
              <Button size="sm" variant="outline-primary" onClick={() => onPlay(setting)}>
                Hear
              </Button>
            </td>
          </tr>
        ))}
        {kept.length === 0 && (
          <tr>
            <td colSpan={3} className="quiet">
              {plural(all.length, 'setting')} measured; none of them folds better at this width.
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}
