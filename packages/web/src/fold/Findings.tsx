import { contentKey } from '@pannet/core/song/content-key';
import type { Finding, FindingCode } from '@pannet/core/findings/finding';
import { gauges } from '@pannet/core/findings/gauges';
import { findingsOfPart } from '@pannet/core/findings/part-findings';
import { clock, figure } from '@pannet/core/quantities/wording';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Part } from '@pannet/core/song/song';
import Button from 'react-bootstrap/Button';
import { useStore } from 'zustand';
import { Progress } from '../controls/Progress.tsx';
import type { PartMeasures } from '../measuring/analyst.ts';
import { mendId, type Found } from '../measuring/mender.ts';
import { useOpenSong, useSession, useTrial } from '../session/use-open-song.ts';

interface Props {
  /** As it is, not as something that is tried makes it. */
  readonly part: Part;
  readonly measures: PartMeasures;
}

/** What is wrong, and what would mend it: tried, then kept or dropped. */
export function Findings({ part, measures }: Props) {
  const song = useSession((state) => state.song);
  const shown = useSession((state) => state.shown);
  const trying = useTrial();
  const rate = song.rateHz ?? 48_000;
  // Of what is heard: of what is tried, while something is.
  const now = trying ? shown : song;
  const heard = now.parts[part.id];
  const found = findingsOfPart(measures.measured, now, heard, measures.from / rate);
  // What a mend takes away stands there until the mend is kept or dropped.
  const mended = trying?.kept
    ? findingsOfPart(trying.kept.measured, song, part, measures.from / rate).filter(
        ({ code }) =>
          mendId(part.id, code) === trying.trial.id && found.every((other) => other.code !== code),
      )
    : [];
  const meant = found.filter(({ code }) => heard.meant.includes(code));
  const told = found.filter((finding) => !meant.includes(finding));
  const worst = measures.measured.report.overTime.worst?.fromSeconds ?? 0;
  return (
    <section aria-label="Findings">
      {[...mended, ...told].map((finding, n) => (
        <Row
          key={`${finding.code}${n}`}
          part={part}
          finding={finding}
          gone={mended.includes(finding)}
          aroundSeconds={finding.place?.fromSeconds ?? measures.from / rate + worst}
        />
      ))}
      {meant.length > 0 && <MeantSo part={part} meant={meant} />}
    </section>
  );
}

/** What was found and is no fault here: out of the way, and taken back with a press. */
function MeantSo({ part, meant }: { readonly part: Part; readonly meant: readonly Finding[] }) {
  const open = useOpenSong();
  return (
    <details className="finding" data-testid="meant-so">
      <summary className="quiet">
        Meant so: {meant.map(({ code }) => code.replaceAll('-', ' ')).join(', ')}
      </summary>
      {meant.map(({ code, sentence }) => (
        <div key={code} className="mt-1">
          <p className="m-0 quiet">{sentence}</p>
          <Button
            size="sm"
            variant="outline-primary"
            aria-label={`Not meant so: ${code}`}
            onClick={() => open.do(...meaning(part, code, false))}
          >
            Not meant so
          </Button>
        </div>
      ))}
    </details>
  );
}

/** The step that says of a finding whether it is meant so. */
function meaning(part: Part, code: FindingCode, so: boolean): [name: string, edits: Edit[]] {
  const others = part.meant.filter((other) => other !== code);
  return [
    `${part.name}: “${code.replaceAll('-', ' ')}” is ${so ? '' : 'not '}meant so`,
    [{ kind: 'set-part', partId: part.id, changes: { meant: so ? [...others, code] : others } }],
  ];
}

interface RowProps {
  readonly part: Part;
  readonly finding: Finding;
  /** Whether it is there no more while its mend is tried. */
  readonly gone: boolean;
  readonly aroundSeconds: number;
}

function Row({ part, finding, gone, aroundSeconds }: RowProps) {
  const open = useOpenSong();
  const { code, sentence, place } = finding;
  const song = useSession((state) => state.song);
  const rate = song.rateHz ?? 48_000;
  const busy = useStore(open.mender.store, (state) => state.busy);
  const known = useStore(open.mender.store, (state) =>
    mendId(part.id, code) in state.found ? state.found[mendId(part.id, code)] : null,
  );
  const trial = useStore(open.audition.store, (state) => state.trial);
  const tried = trial?.id === mendId(part.id, code);
  const current = known?.key === contentKey(song, part) ? known : null;
  const looking = busy?.code === code;
  const mendable = gauges[code] !== null;
  const listen = () => {
    if (!place) return;
    open.playback.seek(Math.round(place.fromSeconds * rate));
    if (open.playback.store.getState().state === 'stopped') void open.playback.play();
  };
  return (
    <div className={`finding${tried ? ' tried' : ''}`} data-testid={`finding-${code}`}>
      <p className={gone ? 'm-0 quiet text-decoration-line-through' : 'm-0'}>{sentence}</p>
      {gone && <p className="m-0 small">Gone with what is tried.</p>}
      {looking && (
        <div className="d-flex align-items-center gap-2" role="status">
          <Progress share={busy.share} label="Measuring mends" className="flex-grow-1" />
          <Button size="sm" variant="outline-primary" onClick={() => open.mender.stopLooking()}>
            Stop
          </Button>
        </div>
      )}
      {current && <MendFigures found={current} code={code} rateHz={rate} />}
      {!looking && code !== 'nothing-wrong' && (
        <div className="d-flex gap-1 mt-1">
          {place && (
            <Button size="sm" variant="outline-primary" onClick={listen}>
              Go there
            </Button>
          )}
          {mendable && current?.mend !== null && (
            <Button
              size="sm"
              variant="outline-primary"
              aria-label={`${tried ? 'Drop the mend' : 'Try a mend'} for: ${code}`}
              aria-pressed={tried}
              title="Looks for a mend, measures it, and plays it as loud as what is there"
              onClick={() =>
                tried ? open.audition.drop() : open.mender.try(part, code, aroundSeconds)
              }
            >
              {tried ? 'Drop' : 'Try'}
            </Button>
          )}
          {!tried && (
            <Button
              size="sm"
              variant="outline-primary"
              aria-label={`Meant so: ${code}`}
              title="It is no fault here: it is not said again of this part"
              onClick={() => open.do(...meaning(part, code, true))}
            >
              Meant so
            </Button>
          )}
          {tried && trial && (
            <Button
              size="sm"
              aria-label={`Keep the mend for: ${code}`}
              onClick={() => open.do(trial.name, trial.edits)}
            >
              Keep
            </Button>
          )}
        </div>
      )}
    </div>
  );
}

function MendFigures({
  found: { mend, from, to },
  code,
  rateHz,
}: {
  readonly found: Found;
  readonly code: FindingCode;
  readonly rateHz: number;
}) {
  if (!mend)
    return (
      <p className="small m-0 mend-figures">No mend was found that keeps the width and the fold.</p>
    );
  const gauge = gauges[code];
  const value = (number: number) => figure(number, gauge?.places ?? 1);
  const width = (number: number | null) => (number === null ? '–' : figure(number, 1));
  return (
    <p className="small mono m-0 mend-figures">
      {mend.words}
      <br />
      {gauge?.label} {value(mend.before)} → {value(mend.after)} {gauge?.unit}
      {mend.gone ? '' : ' (less, not gone)'}
      <br />
      S/M {width(mend.widthBeforeDb)} → {width(mend.widthAfterDb)} dB
      <br />
      <span className="quiet">
        over {clock(from / rateHz)}–{clock(to / rateHz)}
        {mend.onlyHere ? '; on the stretch beside it this does harm' : ''}
      </span>
    </p>
  );
}
