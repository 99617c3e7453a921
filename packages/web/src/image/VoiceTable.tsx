import {
  ArrowsHorizontal,
  ArrowsLeftRight,
  Copy,
  Plus,
  SpeakerHigh,
  SpeakerSlash,
  Trash,
} from '@phosphor-icons/react';
import { freeVoiceId, mirroredImage, type Image } from '@pannet/core/image/image';
import {
  copiedAcross,
  duplicated,
  figuresText,
  hasOtherSide,
  hasRoom,
  usualFigures,
  withFigures,
  withPair,
  type PairFigures,
} from '@pannet/core/image/pairs';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Part } from '@pannet/core/song/song';
import { sourceOf, tunerFor } from '@pannet/core/song/fitting-recipes';
import { newVoice, type Voice } from '@pannet/core/voices/voice';
import { lazy, Suspense, useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useOpenSong, usePlayback, useSelection } from '../session/use-open-song.ts';
import { Flanks } from './StagePanel.tsx';
import { editedTogether } from './edited-together.ts';
import { changeName, voiceEdit, type VoiceChanges } from './voice-edits.ts';
import { pages, type Page } from './voice-pages.tsx';

const AmpPage = lazy(() =>
  import('./AmpPage.tsx').then(({ AmpPage: page }) => ({ default: page })),
);
const ampsName = 'Amps';

/** Every value of every voice, typed, with its unit; in pages, since there are more of them than fit side by side. */
export function VoiceTable({ part }: { readonly part: Part }) {
  const open = useOpenSong();
  const [pageName, setPage] = useState(pages[0].name);
  const { voiceId, voiceIds } = useSelection();
  const { voices } = part.image;
  const page = pages.find(({ name }) => name === pageName) ?? pages[0];
  /** What is done to the voices as they are kept: what is only tried is not kept under another name. */
  const changeImage = (name: string, change: (kept: Image) => Image): void => {
    const kept = open.keptPart(part.id);
    if (!kept) return;
    const edit: Edit = { kind: 'set-image', partId: part.id, image: change(kept.image) };
    open.do(`${part.name}: ${name}`, [edit]);
  };
  const add = () => {
    changeImage('add a voice', ({ voices: kept, ...rest }) => {
      const tuner = { kind: tunerFor(sourceOf(open.session.store.getState().song, part)) };
      const voice = newVoice(freeVoiceId(kept), `voice ${kept.length + 1}`, { tuner });
      return { ...rest, voices: [...kept, voice] };
    });
    open.selectVoice(open.keptPart(part.id)?.image.voices.at(-1)?.id ?? null);
  };
  /** Of the selected voice, or of the first one; a pair that is selected is given the figures. */
  const addPair = (figures: PairFigures | null) => {
    const kept = open.keptPart(part.id);
    const chosen = voiceId ?? kept?.image.voices[0]?.id ?? null;
    const before = chosen === null ? null : open.pairOf(part.id, chosen);
    const made =
      kept &&
      (before && figures ? { image: kept.image, pair: before } : withPair(kept.image, chosen));
    if (!made) return;
    const text = figures ? figuresText(figures) : '';
    changeImage(before && figures ? `pair ${text}` : `add a pair ${text}`.trim(), () =>
      figures ? withFigures(made.image, made.pair, figures) : made.image,
    );
    open.pairUp(part.id, made.pair);
  };
  const swap = () =>
    changeImage('swap sides', (kept) => ({ ...mirroredImage(kept), stage: kept.stage }));
  return (
    <section className="voice-table" aria-label="Voices">
      <div className="voice-table-head">
        <span className="listening" role="group" aria-label="Values shown">
          {[...pages.map(({ name }) => name), ampsName].map((name) => (
            <button
              key={name}
              type="button"
              aria-pressed={name === pageName}
              onClick={() => setPage(name)}
            >
              {name}
            </button>
          ))}
        </span>
        <Together part={part} voiceIds={voiceIds} />
        <span className="flex-grow-1" />
        <Flanks part={part} />
        <select
          className="plain-select"
          aria-label="Usual figures of a pair"
          title="Gives the selected pair these figures, or adds a pair with them"
          value=""
          disabled={!hasRoom(part.image, 2) && !(voiceId && open.pairOf(part.id, voiceId))}
          onChange={(event) => addPair(usualFigures[Number(event.target.value)])}
        >
          <option value="" disabled hidden>
            Usual …
          </option>
          {usualFigures.map((figures, n) => (
            <option key={figuresText(figures)} value={n}>
              {figuresText(figures)}
            </option>
          ))}
        </select>
        <Button
          className="btn-tool"
          variant="light"
          disabled={!hasRoom(part.image, 2)}
          aria-label="Add a pair"
          title="Add a pair: two voices hard left and right of the selected one, edited as mirror images"
          onClick={() => addPair(null)}
        >
          <Plus aria-hidden /> Pair
        </Button>
        <Button
          className="btn-tool"
          variant="light"
          aria-label="Swap sides"
          title="Swap the sides"
          onClick={swap}
        >
          <ArrowsLeftRight aria-hidden />
        </Button>
        <Button
          className="btn-tool"
          variant="light"
          disabled={!hasRoom(part.image, 1)}
          aria-label="Add voice"
          title="Add a voice in the middle"
          onClick={add}
        >
          <Plus aria-hidden /> Voice
        </Button>
      </div>
      {pageName === ampsName ? (
        <Suspense fallback={<p className="quiet p-2 m-0">Opening …</p>}>
          <AmpPage part={part} />
        </Suspense>
      ) : (
        <div className="voice-table-rows">
          <table>
            <thead>
              <tr>
                <th>Voice</th>
                {page.columns.map((column) => (
                  <th key={column}>{column}</th>
                ))}
                <th aria-label="What can be done" />
              </tr>
            </thead>
            <tbody>
              {voices.map((voice) => (
                <VoiceRow
                  key={voice.id}
                  part={part}
                  voice={voice}
                  page={page}
                  onDuplicate={() =>
                    changeImage(`duplicate ${voice.name}`, (kept) => duplicated(kept, voice.id))
                  }
                  onCopyAcross={() =>
                    changeImage(`copy ${voice.name} to the other side`, (kept) =>
                      copiedAcross(kept, voice.id),
                    )
                  }
                  onRemove={() =>
                    changeImage(`remove ${voice.name}`, ({ voices: kept, ...rest }) => ({
                      ...rest,
                      voices: kept.filter((other) => other.id !== voice.id),
                    }))
                  }
                />
              ))}
            </tbody>
          </table>
          {voices.length === 0 && (
            <p className="empty m-0">No voice: the part is silent. Add one, or take a recipe.</p>
          )}
        </div>
      )}
    </section>
  );
}

/** Which voices are edited together, and how. */
function Together({
  part,
  voiceIds,
}: {
  readonly part: Part;
  readonly voiceIds: readonly string[];
}) {
  const open = useOpenSong();
  const { voiceId, delaysAlike } = useSelection();
  const pair = voiceId === null ? null : open.pairOf(part.id, voiceId);
  if (pair)
    return (
      <span className="small d-inline-flex align-items-center gap-2">
        <span title="Place and cents of one are those of the other, the other way round">
          Mirror images
        </span>
        <label className="quiet d-inline-flex align-items-center gap-1">
          <input
            type="checkbox"
            checked={delaysAlike}
            onChange={(event) => open.selection.setState({ delaysAlike: event.target.checked })}
          />
          delays alike
        </label>
        <Button className="btn-tool" variant="light" onClick={() => open.partUp(part.id, pair)}>
          Let go
        </Button>
      </span>
    );
  return (
    <span className="quiet small" title="Ctrl and a press select several voices">
      {voiceIds.length > 1 ? `${voiceIds.length} edited together` : ''}
    </span>
  );
}

interface RowProps {
  readonly part: Part;
  readonly voice: Voice;
  readonly page: Page;
  readonly onDuplicate: () => void;
  readonly onCopyAcross: () => void;
  readonly onRemove: () => void;
}

function VoiceRow({ part, voice, page, onDuplicate, onCopyAcross, onRemove }: RowProps) {
  const open = useOpenSong();
  const { voiceId, voiceIds } = useSelection();
  const soloed = usePlayback((state) => state.soloVoices[part.id]?.includes(voice.id) ?? false);
  const selected = voiceId === voice.id || voiceIds.includes(voice.id);
  const change = (changes: VoiceChanges) => {
    const { name, edits } = editedTogether(open, part, voice, changes);
    open.do(name, edits);
  };
  const select = (together: boolean) => open.selectVoice(voice.id, together);
  return (
    <tr
      className={selected ? 'selected' : undefined}
      onFocus={() => selected || select(false)}
      onPointerDown={(event) => {
        const together = event.shiftKey || event.ctrlKey || event.metaKey;
        // In a field of one of several the values of all are set; beside the fields it is selected alone.
        const field = (event.target as Element).closest('input, select, button') !== null;
        if (together || !selected || !field) select(together);
      }}
    >
      <td style={{ minWidth: 96 }}>
        <input
          className="name-input"
          aria-label={`Name of ${voice.name}`}
          key={voice.name}
          defaultValue={voice.name}
          maxLength={60}
          onBlur={(event) => {
            const name = event.target.value.trim();
            if (name && name !== voice.name)
              open.do(changeName(voice, { name }), voiceEdit(part, voice, { name }));
          }}
          onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
        />
      </td>
      <page.Cells
        part={part}
        voice={voice}
        onPreview={(changes) => open.preview(editedTogether(open, part, voice, changes).edits)}
        onChange={change}
        onCancel={() => open.session.endPreview()}
      />
      <td className="text-end text-nowrap">
        <button
          type="button"
          className="letter-toggle"
          aria-pressed={soloed}
          aria-label={`Hear ${voice.name} alone`}
          title="Hear this voice alone"
          onClick={() => open.playback.soloVoice(part.id, voice.id)}
        >
          S
        </button>
        <Button
          className="btn-tool"
          variant="light"
          aria-pressed={voice.muted}
          aria-label={`${voice.muted ? 'Unmute' : 'Mute'} ${voice.name}`}
          onClick={() => change({ muted: !voice.muted })}
        >
          {voice.muted ? <SpeakerSlash size={16} weight="fill" /> : <SpeakerHigh size={16} />}
        </Button>
        <Button
          className="btn-tool"
          variant="light"
          aria-label={`Duplicate ${voice.name}`}
          title="Duplicate"
          disabled={!hasRoom(part.image, 1)}
          onClick={onDuplicate}
        >
          <Copy size={16} />
        </Button>
        <Button
          className="btn-tool"
          variant="light"
          aria-label={`Copy ${voice.name} to the other side`}
          title="Copy to the other side"
          disabled={!hasRoom(part.image, 1) || !hasOtherSide(voice)}
          onClick={onCopyAcross}
        >
          <ArrowsHorizontal size={16} />
        </Button>
        <Button
          className="btn-tool"
          variant="light"
          aria-label={`Remove ${voice.name}`}
          onClick={onRemove}
        >
          <Trash size={16} />
        </Button>
      </td>
    </tr>
  );
}
