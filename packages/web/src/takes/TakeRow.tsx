import {
  ArrowDown,
  ArrowLeft,
  ArrowRight,
  ArrowUp,
  Copy,
  PushPin,
  Scissors,
  Trash,
} from '@phosphor-icons/react';
import { takeParameters } from '@pannet/core/parameters/tables';
import { figure, signedFigure } from '@pannet/core/quantities/wording';
import type { Part, Take } from '@pannet/core/song/song';
import { takesEdit, withMoreTakes } from '@pannet/core/song/takes-of-part';
import type { Comparison } from '@pannet/core/takes/line-up/line-up';
import { splitClips, wholeClip } from '@pannet/core/takes/clip-edits';
import { mostTakes, type Anchor } from '@pannet/core/takes/take';
import { useRef, type KeyboardEvent, type ReactNode } from 'react';
import Dropdown from 'react-bootstrap/Dropdown';
import { say } from '../controls/notices.ts';
import { NumberField } from '../controls/NumberField.tsx';
import { useOpenSong, useRate, useRecordings } from '../session/use-open-song.ts';
import { placeAt, withAnchor } from './Anchors.tsx';
import { nudged } from './nudge.ts';
import { ShiftField } from './ShiftField.tsx';
import type { TakeFigures } from './takes-question.ts';
import { timingOf, truthOf } from './truth.ts';

interface Props {
  readonly part: Part;
  readonly take: Take;
  readonly number: number;
  readonly reference: Take;
  readonly figures: TakeFigures | null;
  readonly comparison: Comparison | null;
  readonly onReplace: (files: readonly File[]) => void;
  readonly onHold: (what: string, anchors: readonly Anchor[]) => void;
  readonly children: ReactNode;
}

/** One take: what it is, what plays it, and its wave. */
export function TakeRow(props: Props) {
  const { part, take, number, reference, figures, comparison, onReplace, onHold, children } = props;
  const another = useRef<HTMLInputElement>(null);
  const open = useOpenSong();
  const rateHz = useRate();
  const recording = useRecordings()[take.recording];
  const isReference = take.id === reference.id;
  const voices = part.image.voices.filter((voice) => voice.take === number);
  const set = (what: string, changes: Partial<Take>) =>
    open.do(`${part.name}, ${take.name}: ${what}`, [
      { kind: 'set-take', partId: part.id, takeId: take.id, changes },
    ]);
  const setTakes = (what: string, takes: readonly Take[]) => {
    const kept = open.keptPart(part.id);
    if (kept) open.do(`${part.name}: ${what} ${take.name}`, [takesEdit(kept, takes)]);
  };
  const moveBy = (by: number) => {
    const to = number - 1 + by;
    if (to < 0 || to >= part.takes.length) return;
    const others = part.takes.filter(({ id }) => id !== take.id);
    setTakes('place', [...others.slice(0, to), take, ...others.slice(to)]);
  };
  const nudge = (frames: number) => {
    const moved = nudged(take, recording.frames, frames);
    const ms = (frames / rateHz) * 1000;
    if (moved) set(`${signedFigure(ms, 2)} ms`, moved);
  };
  const split = () => {
    const { frame } = open.playback.store.getState();
    const clips = splitClips(take.clips ?? [wholeClip(recording.frames)], placeAt(take, frame));
    if (clips) set('split', { clips });
    else say(`Nothing of “${take.name}” lies at the playhead that could be split.`);
  };
  const hold = () => {
    const { frame } = open.playback.store.getState();
    const anchors = take.align?.anchors ?? [];
    const held = withAnchor(anchors, { place: placeAt(take, frame), at: frame });
    if (held) onHold('held at the playhead', held);
    else say(`“${take.name}” is held there already.`);
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const direction = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (direction === 0 || event.target !== event.currentTarget) return;
    nudge(direction * (event.altKey ? 1 : Math.round(rateHz / (event.shiftKey ? 100 : 1000))));
    event.preventDefault();
  };
  const truth = truthOf(figures, comparison, take, rateHz);
  return (
    <section className="take-row" aria-label={take.name} data-testid={`take-${take.name}`}>
      <div className="take-facts">
        <div className="take-head">
          <input
            className="form-control form-control-sm"
            aria-label={`Name of ${take.name}`}
            title={recording.fileName}
            defaultValue={take.name}
            key={take.name}
            maxLength={80}
            onBlur={(event) => {
              const name = event.target.value.trim();
              if (name && name !== take.name) set(`name ${name}`, { name });
            }}
            onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
          />
          <NumberField
            parameter={takeParameters.levelDb}
            label={`Level of ${take.name}`}
            value={take.levelDb}
            width={78}
            onPreview={(levelDb) =>
              open.preview([
                { kind: 'set-take', partId: part.id, takeId: take.id, changes: { levelDb } },
              ])
            }
            onCommit={(levelDb) => set(`level ${signedFigure(levelDb, 1)} dB`, { levelDb })}
            onCancel={() => open.session.endPreview()}
          />
          <Dropdown>
            <Dropdown.Toggle
              as="button"
              type="button"
              bsPrefix="btn-bare"
              className="btn-tool border-0 bg-transparent"
              aria-label={`What can be done with ${take.name}`}
            >
              ⋯
            </Dropdown.Toggle>
            <Dropdown.Menu>
              <Dropdown.Item onClick={() => moveBy(-1)}>
                <ArrowUp aria-hidden /> Move up
              </Dropdown.Item>
              <Dropdown.Item onClick={() => moveBy(1)}>
                <ArrowDown aria-hidden /> Move down
              </Dropdown.Item>
              <Dropdown.Item
                disabled={part.takes.length >= mostTakes}
                onClick={() =>
                  setTakes(
                    'duplicate',
                    withMoreTakes(part, [
                      { ...take, id: undefined, name: `${take.name} again`.slice(0, 80) },
                    ]),
                  )
                }
              >
                <Copy aria-hidden /> Duplicate
              </Dropdown.Item>
              {!isReference && (
                <Dropdown.Item
                  onClick={() =>
                    open.do(
                      `${part.name}: reference ${take.name}`,
                      part.takes.map(({ id }) => ({
                        kind: 'set-take',
                        partId: part.id,
                        takeId: id,
                        changes: {
                          align:
                            id === take.id
                              ? null
                              : {
                                  to: take.id,
                                  tightnessPercent: 0,
                                  polarity: 'normal',
                                  path: null,
                                  anchors: [],
                                },
                        },
                      })),
                    )
                  }
                >
                  Make it the reference
                </Dropdown.Item>
              )}
              <Dropdown.Item onClick={() => another.current?.click()}>
                Replace by another file …
              </Dropdown.Item>
              <Dropdown.Item onClick={() => set('as recorded', { clips: null, align: null })}>
                As recorded: uncut, where it lay
              </Dropdown.Item>
              <Dropdown.Item
                disabled={part.takes.length === 1}
                onClick={() =>
                  setTakes(
                    'remove',
                    part.takes.filter(({ id }) => id !== take.id),
                  )
                }
              >
                <Trash aria-hidden /> Remove
              </Dropdown.Item>
            </Dropdown.Menu>
          </Dropdown>
          <input
            ref={another}
            type="file"
            accept="audio/*,.wav,.flac,.mp3,.ogg,.aif,.aiff,.aifc"
            hidden
            aria-label={`Another file for ${take.name}`}
            onChange={(event) => {
              onReplace([...(event.target.files ?? [])]);
              event.target.value = '';
            }}
          />
        </div>
        <p className="quiet small m-0">
          {isReference ? 'the reference' : take.align?.path ? 'lined up' : 'as it lay'} ·{' '}
          {voices.length > 0
            ? `heard as ${voices.map(({ name }) => name).join(', ')}`
            : 'not heard'}
        </p>
        <p
          className="mono small m-0 take-figures"
          title="With its level, before its preparation; of a take that is longer, of its first 15 minutes"
        >
          {figures
            ? [
                figures.portrait.lufs === null
                  ? 'silent'
                  : `${figure(figures.portrait.lufs + take.levelDb, 1)} LUFS`,
                figures.crestDb !== null && `crest ${figure(figures.crestDb, 0)}`,
                figures.noiseDb !== null && `noise ${figure(figures.noiseDb + take.levelDb, 0)} dB`,
              ]
                .filter(Boolean)
                .join(' · ')
            : '…'}
        </p>
        <p className="mono small m-0 take-figures" data-testid={`timing-${take.name}`}>
          {comparison ? timingOf(comparison, take, figures, rateHz) : ''}
        </p>
        {truth && (
          <p className="small m-0" role="note">
            {truth}
          </p>
        )}
      </div>
      <div
        className="take-wave"
        tabIndex={0}
        role="group"
        aria-label={`Wave of ${take.name}`}
        title="Arrow keys: 1 ms later or earlier (Shift: 10 ms; Alt: one sample)"
        onKeyDown={onKeyDown}
      >
        {children}
        <span className="take-nudge">
          <ShiftField label={`Move ${take.name} by`} at={0} onShift={nudge} />
          <button
            type="button"
            className="btn-tool"
            aria-label={`Split ${take.name} at the playhead`}
            title="Split at the playhead: two clips, to be moved and trimmed each for itself"
            onClick={split}
          >
            <Scissors />
          </button>
          {!isReference && (
            <button
              type="button"
              className="btn-tool"
              aria-label={`Hold ${take.name} at the playhead`}
              title="An anchor: what is heard here stays here, however tightly the take is lined up; drag it to where it belongs"
              onClick={hold}
            >
              <PushPin />
            </button>
          )}
          <button
            type="button"
            className="btn-tool"
            aria-label={`${take.name} 1 ms earlier`}
            onClick={() => nudge(-Math.round(rateHz / 1000))}
          >
            <ArrowLeft />
          </button>
          <button
            type="button"
            className="btn-tool"
            aria-label={`${take.name} 1 ms later`}
            onClick={() => nudge(Math.round(rateHz / 1000))}
          >
            <ArrowRight />
          </button>
        </span>
      </div>
    </section>
  );
}
