import {
  ArrowsLeftRight,
  Copy,
  Plus,
  SpeakerHigh,
  SpeakerSlash,
  Trash,
} from '@phosphor-icons/react';
import { freeVoiceId, mirroredImage, mostVoices, type Image } from '@pannet/core/image/image';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Part } from '@pannet/core/song/song';
import { newVoice, type Voice } from '@pannet/core/voices/voice';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useOpenSong, usePlayback, useSelection } from '../session/open-song.ts';
import { changeName, changesFor, voiceEdit, type VoiceChanges } from './voice-edits.ts';
import { pages, type Page } from './voice-pages.tsx';

/** Every value of every voice, typed, with its unit; in pages, since there are more of them than fit side by side. */
export function VoiceTable({ part }: { readonly part: Part }) {
  const open = useOpenSong();
  const [pageName, setPage] = useState(pages[0].name);
  const { voiceIds } = useSelection();
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
    changeImage('add a voice', ({ voices: kept, stage }) => {
      const voice = newVoice(freeVoiceId(kept), `voice ${kept.length + 1}`);
      return { voices: [...kept, voice], stage };
    });
    open.selectVoice(open.keptPart(part.id)?.image.voices.at(-1)?.id ?? null);
  };
  const swap = () =>
    changeImage('swap sides', (kept) => ({ ...mirroredImage(kept), stage: kept.stage }));
  return (
    <section className="voice-table" aria-label="Voices">
      <div className="voice-table-head">
        <span className="listening" role="group" aria-label="Values shown">
          {pages.map(({ name }) => (
            <button
              key={name}
              type="button"
              aria-pressed={name === page.name}
              onClick={() => setPage(name)}
            >
              {name}
            </button>
          ))}
        </span>
        <span className="quiet small">
          {voiceIds.length > 1
            ? `${voiceIds.length} voices are edited together`
            : 'Ctrl and a press: several voices'}
        </span>
        <span className="flex-grow-1" />
        <Button className="btn-tool" variant="light" title="Swap the sides" onClick={swap}>
          <ArrowsLeftRight aria-hidden /> Swap sides
        </Button>
        <Button
          className="btn-tool"
          variant="light"
          disabled={voices.length >= mostVoices}
          onClick={add}
        >
          <Plus aria-hidden /> Add voice
        </Button>
      </div>
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
                  changeImage(`duplicate ${voice.name}`, ({ voices: kept, stage }) => ({
                    stage,
                    voices: [
                      ...kept,
                      ...kept.flatMap((other) =>
                        other.id === voice.id ? [copyOf(other, freeVoiceId(kept))] : [],
                      ),
                    ],
                  }))
                }
                onRemove={() =>
                  changeImage(`remove ${voice.name}`, ({ voices: kept, stage }) => ({
                    stage,
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
    </section>
  );
}

function copyOf(voice: Voice, id: string): Voice {
  return { ...voice, id, name: `${voice.name} copy`.slice(0, 60) };
}

interface RowProps {
  readonly part: Part;
  readonly voice: Voice;
  readonly page: Page;
  readonly onDuplicate: () => void;
  readonly onRemove: () => void;
}

function VoiceRow({ part, voice, page, onDuplicate, onRemove }: RowProps) {
  const open = useOpenSong();
  const { voiceId, voiceIds } = useSelection();
  const soloed = usePlayback((state) => state.soloVoices[part.id]?.includes(voice.id) ?? false);
  const selected = voiceId === voice.id || voiceIds.includes(voice.id);
  const confirmed = () =>
    open.keptPart(part.id)?.image.voices.find((other) => other.id === voice.id) ?? voice;
  /** The voices that are edited together with this one, and it itself. */
  const edits = (shown: VoiceChanges): Edit[] => {
    const before = confirmed();
    const changes = open.onKept<Omit<Voice, 'id'>>(part.id, voice, before, shown);
    const others = voiceIds.includes(voice.id)
      ? part.image.voices.filter(({ id }) => id !== voice.id && voiceIds.includes(id))
      : [];
    return [voice, ...others].flatMap((other) =>
      voiceEdit(part, other, other === voice ? changes : changesFor(other, before, changes)),
    );
  };
  const change = (changes: VoiceChanges) => {
    const all = edits(changes);
    const more = all.length > 1 ? ` (and ${all.length - 1} more)` : '';
    open.do(`${changeName(confirmed(), changes)}${more}`, all);
  };
  const select = (together: boolean) => open.selectVoice(voice.id, together);
  return (
    <tr
      className={selected ? 'selected' : undefined}
      onFocus={() => selected || select(false)}
      onPointerDown={(event) => {
        const together = event.shiftKey || event.ctrlKey || event.metaKey;
        if (together || !selected) select(together);
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
        onPreview={(changes) => open.preview(edits(changes))}
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
          disabled={part.image.voices.length >= mostVoices}
          onClick={onDuplicate}
        >
          <Copy size={16} />
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
