import { definitions } from '@pannet/core/measurement/definitions';
import { figure, signedFigure } from '@pannet/core/quantities/wording';
import type { Part } from '@pannet/core/song/song';
import Button from 'react-bootstrap/Button';
import Dropdown from 'react-bootstrap/Dropdown';
import { useStore } from 'zustand';
import { imageState } from '../comparing/comparing.ts';
import { DraftKeys } from '../controls/DraftKeys.tsx';
import {
  useAnalyst,
  useIsLeft,
  useOpenSong,
  usePlayback,
  useSelectedPart,
  useSession,
} from '../session/use-open-song.ts';

/** The selected parts plain or as images, equally loud. */
export function PlainOrImage() {
  const open = useOpenSong();
  const part = useSelectedPart();
  const plain = usePlayback((state) => (part ? state.monitoring.plain[part.id] : undefined));
  const isPlain = plain !== undefined;
  return (
    <span className="d-inline-flex align-items-center gap-1">
      <span className="listening" role="group" aria-label="Plain or image">
        {[true, false].map((wanted) => (
          <button
            key={String(wanted)}
            type="button"
            disabled={!part}
            title={
              wanted
                ? 'Plain: the dry take in the middle, as loud as the image (P)'
                : 'The image (P)'
            }
            aria-pressed={isPlain === wanted}
            onClick={() => isPlain !== wanted && open.togglePlain()}
          >
            {wanted ? 'Plain' : 'Image'}
          </button>
        ))}
      </span>
      {part && <Matched part={part} isPlain={isPlain} />}
    </span>
  );
}

/** By how much what is heard is raised; behind it how it is matched, to what, and what plain is. */
function Matched({ part, isPlain }: { readonly part: Part; readonly isPlain: boolean }) {
  const open = useOpenSong();
  useAnalyst((state) => state.parts);
  const isLeft = useIsLeft(part.id);
  const { mode, held } = useStore(open.comparing.store);
  const matching = open.comparing.matching(part);
  const isHeld = part.id in held;
  const text = () => {
    if (!matching) return isLeft ? 'not matched' : 'measuring …';
    const gain = matching.gainsDb[isPlain || !isHeld ? 'plain' : matching.shown];
    return `matched ${signedFigure(gain, 1)} LU`;
  };
  const plainVoice = part.image.voices.find(({ id }) => id === part.plainVoice);
  const setPlain = (id: string | null, name: string) =>
    open.do(`${part.name}: plain is ${name}`, [
      { kind: 'set-part', partId: part.id, changes: { plainVoice: id } },
    ]);
  return (
    <Dropdown drop="up" autoClose="outside">
      <Dropdown.Toggle
        as="button"
        type="button"
        bsPrefix="matched-toggle"
        className="mono small"
        title={definitions.matched.text}
      >
        {text()}
        {mode === 'middle' && ' mid'} ▴
      </Dropdown.Toggle>
      <Dropdown.Menu className="p-2" style={{ width: 316 }}>
        <h3 className="panel-heading mt-0">Equal in</h3>
        <span className="listening mb-1" role="group" aria-label="Equal in">
          {(['heard', 'middle'] as const).map((value) => (
            <button
              key={value}
              type="button"
              aria-pressed={mode === value}
              onClick={() => open.comparing.setMode(value)}
            >
              {value === 'heard' ? 'heard loudness' : 'the middle'}
            </button>
          ))}
        </span>
        <p className="quiet small mb-2">
          {mode === 'heard'
            ? 'Plain and drafts are as loud as the image in stereo.'
            : 'Plain and drafts are as loud as the image in the fold: usual for a lead voice.'}
        </p>
        {matching && matching.heldBackDb > 0.05 && (
          <p className="small mb-2">
            All are {figure(matching.heldBackDb, 1)} dB lower, so that none is raised over −1 dBTP.
          </p>
        )}
        {isHeld ? (
          <p className="small mb-2">
            The level of when the comparison began is held.{' '}
            <Button
              size="sm"
              variant="outline-primary"
              onClick={() => open.comparing.release(part.id)}
            >
              Let go
            </Button>
          </p>
        ) : (
          <p className="quiet small mb-2">Press P or a draft to compare: the level is held then.</p>
        )}
        <h3 className="panel-heading mt-0">Plain is</h3>
        <select
          className="plain-select w-100"
          aria-label="Plain is"
          value={plainVoice?.id ?? ''}
          onChange={(event) => {
            const voice = part.image.voices.find(({ id }) => id === event.target.value);
            setPlain(voice?.id ?? null, voice ? `“${voice.name}”` : 'the take');
          }}
        >
          <option value="">the take in the middle</option>
          {part.image.voices.map((voice) => (
            <option key={voice.id} value={voice.id}>
              “{voice.name}” in the middle
            </option>
          ))}
        </select>
      </Dropdown.Menu>
    </Dropdown>
  );
}

/** Kept states of the selected part's image. */
export function Drafts() {
  const open = useOpenSong();
  const part = useSelectedPart();
  const moves = useSession(({ shown }) => shown.moves);
  if (!part) return null;
  const { drafts, draft } = part;
  return (
    <DraftKeys
      what="the image, and how it moves,"
      drafts={drafts}
      draft={draft}
      changed={draft !== null && imageState({ moves }, part) === 'image'}
      onRecall={(number) => open.recallDraft(number)}
      onKeep={(number) => open.keepDraft(number)}
    />
  );
}
