import { ArrowDown, ArrowUp, Copy, Trash, WarningDiamond } from '@phosphor-icons/react';
import { families, mostParts, type Family, type Part } from '@pannet/core/song/song';
import { removalEdits } from '@pannet/core/song/removal';
import type { MouseEvent } from 'react';
import Dropdown from 'react-bootstrap/Dropdown';
import { say } from '../controls/notices.ts';
import { toggleLetters } from '../comparing/toggle-keys.ts';
import { factsSentence } from '../importing/facts-sentence.ts';
import { originText } from '../importing/origin-text.ts';
import { useOpenSong, useRecordings, useSession } from '../session/use-open-song.ts';
import { familyMarks } from './family-marks.tsx';
import { duplicatePart, movePart, stepForAll, together } from './parts-together.ts';

/** The family's mark; behind it the family, the name and the removal of a part. */
export function FamilyMenu({ part }: { readonly part: Part }) {
  const open = useOpenSong();
  const { icon: Icon, tint, label } = familyMarks[part.family];
  const full = useSession(({ song }) => song.partOrder.length >= mostParts);
  const recordings = useRecordings();
  const came = [...new Set(part.takes.map(({ recording }) => recordings[recording]))];
  const faulty = came.some(({ facts }) => facts && facts.clippedRuns + facts.notFinite > 0);
  const rename = (name: string) =>
    open.do(`${part.name}: name ${name}`, [
      { kind: 'set-part', partId: part.id, changes: { name } },
    ]);
  const setFamily = (family: Family) =>
    stepForAll(open, part, familyMarks[family].label.toLowerCase(), (partId) => [
      { kind: 'set-part', partId, changes: { family } },
    ]);
  const remove = () => {
    if (open.do(`remove ${part.name}`, removalEdits(open.session.store.getState().song, part.id)))
      say(`“${part.name}” was removed.`, { label: 'Undo', run: () => open.session.undo() });
  };
  return (
    <Dropdown onClick={(event: MouseEvent) => event.stopPropagation()}>
      <Dropdown.Toggle
        as="button"
        type="button"
        bsPrefix="btn-bare"
        className="border-0 bg-transparent p-0 lh-1"
        aria-label={`${label}; settings of ${part.name}`}
        title={came.map((one) => factsSentence(one)).join(' ')}
      >
        <Icon size={18} color={tint} weight="bold" aria-hidden />
        {faulty && <WarningDiamond className="came-faulty" size={11} weight="fill" aria-hidden />}
      </Dropdown.Toggle>
      <Dropdown.Menu>
        <div className="px-3 pb-2">
          <input
            className="form-control form-control-sm"
            aria-label={`Name of ${part.name}`}
            defaultValue={part.name}
            maxLength={80}
            onBlur={(event) => {
              const name = event.target.value.trim();
              if (name && name !== part.name) rename(name);
            }}
            onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
          />
        </div>
        <div className="came px-3 pb-1 small quiet" data-testid="came">
          {came.map((recording) => (
            <p key={recording.hash} className="m-0">
              <span className="mono">{recording.fileName}</span>: {factsSentence(recording)}
              {originText(recording)}
            </p>
          ))}
        </div>
        <Dropdown.Divider />
        {together(open, part.id).length > 1 && (
          <p className="quiet small px-3 mb-1">The family goes to all selected parts.</p>
        )}
        {families.map((family) => {
          const mark = familyMarks[family];
          return (
            <Dropdown.Item
              key={family}
              active={family === part.family}
              onClick={() => setFamily(family)}
            >
              <mark.icon aria-hidden /> {mark.label}
            </Dropdown.Item>
          );
        })}
        <Dropdown.Divider />
        <label className="px-3 d-flex align-items-center gap-2 small">
          Toggle key
          <select
            className="plain-select"
            aria-label={`Toggle key of ${part.name}`}
            value={part.toggleKey ?? ''}
            onChange={(event) => {
              const toggleKey = event.target.value || null;
              open.do(`${part.name}: toggle key ${toggleKey?.toUpperCase() ?? 'of its row'}`, [
                { kind: 'set-part', partId: part.id, changes: { toggleKey } },
              ]);
            }}
          >
            <option value="">of its row</option>
            {toggleLetters.map((letter) => (
              <option key={letter} value={letter}>
                {letter.toUpperCase()}
              </option>
            ))}
          </select>
        </label>
        <Dropdown.Divider />
        <Dropdown.Item onClick={() => movePart(open, part.id, -1)} title="Alt and the arrow up">
          <ArrowUp aria-hidden /> Move up
        </Dropdown.Item>
        <Dropdown.Item onClick={() => movePart(open, part.id, 1)} title="Alt and the arrow down">
          <ArrowDown aria-hidden /> Move down
        </Dropdown.Item>
        <Dropdown.Item disabled={full} onClick={() => duplicatePart(open, part)}>
          <Copy aria-hidden /> Duplicate this part
        </Dropdown.Item>
        <Dropdown.Item onClick={remove}>
          <Trash aria-hidden /> Remove this part
        </Dropdown.Item>
      </Dropdown.Menu>
    </Dropdown>
  );
}
