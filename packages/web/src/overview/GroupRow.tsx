import { useSortable } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { CaretDown, CaretRight, DotsSixVertical, Trash, X } from '@phosphor-icons/react';
import { groupParameters } from '@pannet/core/parameters/tables';
import { gainToDb } from '@pannet/core/quantities/units';
import { plural, signedFigure } from '@pannet/core/quantities/wording';
import {
  changedGroup,
  dissolved,
  isGroupDraft,
  keptGroupDraft,
  partsUnder,
  recalledGroupDraft,
} from '@pannet/core/song/groups';
import { levelTarget, moveOf } from '@pannet/core/song/moves-of';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Group } from '@pannet/core/song/song';
import { memo, useState, type KeyboardEvent } from 'react';
import { useStore } from 'zustand';
import { useShallow } from 'zustand/react/shallow';
import { DraftKeys } from '../controls/DraftKeys.tsx';
import { NumberField } from '../controls/NumberField.tsx';
import { VerdictMark } from '../controls/VerdictMark.tsx';
import { changeText } from '../image/voice-edits.ts';
import type { GroupComparing } from '../comparing/group-comparing.ts';
import type { GroupFigures } from '../measuring/group-figures.ts';
import { useOpenSong, usePlayback, useSession } from '../session/use-open-song.ts';
import { draftKey, wantsKey } from '../session/shortcuts.ts';
import { GroupSettings } from './GroupSettings.tsx';
import { LaneName } from './LaneName.tsx';
import { MoveLane } from './MoveLane.tsx';

interface Props {
  readonly group: Group;
  /** How many groups it lies in. */
  readonly depth: number;
  readonly figures: GroupFigures;
  readonly comparing: GroupComparing;
  readonly width: number;
}

/** What each group that something lies in moves it to the right, in pixels. */
const indent = 16;

/** The verdict and the first figures of all of it, over the loop or the whole song; paler once it has changed. */
function GroupVerdict({ id, name, figures }: { id: string; name: string; figures: GroupFigures }) {
  const measures = useStore(figures.store, ({ groups }) =>
    Object.hasOwn(groups, id) ? groups[id] : null,
  );
  const busy = useStore(figures.store, (state) => state.busy?.groupId === id);
  const failure = useStore(figures.store, (state) => state.failure);
  if (!measures)
    return busy ? (
      <span className="quiet small">measuring …</span>
    ) : failure ? (
      <span className="quiet small" title={failure}>
        not measured
      </span>
    ) : null;
  const { fold, sideToMidDb } = measures.file.report;
  return (
    <span
      className={`small text-truncate${measures.current ? '' : ' quiet'}`}
      aria-label={`Fold of ${name}`}
      title={`${measures.current ? '' : 'Of before the last change. '}All of the group together: width, and what the fold loses. “Measure it …” in its settings tells the rest.`}
    >
      <VerdictMark verdict={fold.verdict} />{' '}
      <span className="mono">
        S/M {sideToMidDb === null ? '–' : `${signedFigure(sideToMidDb, 1)} dB`} · fold{' '}
        {fold.lossDb === null ? '–' : `${signedFigure(fold.lossDb, 1)} LU`}
      </span>
    </span>
  );
}

/** While drafts are compared: by how much the group is raised, so that it is as loud as what was heard first. A press lets go of that. */
function Matched({ group, figures, comparing }: Pick<Props, 'group' | 'figures' | 'comparing'>) {
  const open = useOpenSong();
  const { name } = group;
  const song = useSession((state) => state.song);
  const mode = useStore(open.comparing.store, (state) => state.mode);
  const { busy, failure } = useStore(figures.store);
  const heardDb = usePlayback(({ monitoring }) => gainToDb(monitoring.groups[group.id] ?? 1));
  const matchedDb = comparing.matchedDb(song, group, mode);
  const text = () => {
    if (matchedDb !== null)
      return `matched ${signedFigure(matchedDb, 1)} LU${mode === 'middle' ? ' mid' : ''}`;
    if (heardDb !== 0) return `raised ${signedFigure(heardDb, 1)} dB, not measured`;
    return busy ? 'measuring …' : 'not matched';
  };
  const why =
    matchedDb === null
      ? (failure ?? 'It is measured as soon as nothing plays.')
      : 'Heard as loud as when the comparison began; nothing of it is exported.';
  return (
    <button
      type="button"
      className="matched-toggle mono small text-nowrap"
      aria-label={`${text()}: let go of the level of ${name}`}
      title={`${why} Press to let go.`}
      onClick={() => comparing.release(group.id)}
    >
      {text()}
      <X size={11} className="ms-1" aria-hidden />
    </button>
  );
}

/** A group above its parts: level, solo and mute of all of them. */
export const GroupRow = memo(function GroupRow({ group, depth, figures, comparing, width }: Props) {
  const open = useOpenSong();
  const { id, name } = group;
  const partIds = useSession(useShallow(({ shown }) => partsUnder(shown, group)));
  const solo = usePlayback((state) => state.monitoring.solo);
  const soloed = partIds.length > 0 && partIds.every((partId) => solo.includes(partId));
  const isCompared = useStore(comparing.store, ({ held }) => Object.hasOwn(held, id));
  const [shown, setShown] = useState(false);
  const target = levelTarget('group', id);
  const move = useSession(({ shown }) => moveOf(shown, target));
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition } =
    useSortable({ id: `group/${id}` });
  const edits = (changes: Partial<Group>): Edit[] => [
    { kind: 'set-groups', groups: changedGroup(open.session.store.getState().song, id, changes) },
  ];
  const kept = () => open.session.store.getState().song.groups.find((one) => one.id === id);
  const keepDraft = (number: string) => {
    const now = kept();
    if (!now) return;
    const groups = keptGroupDraft(open.session.store.getState().song, now, number);
    open.do(`${name}: keep draft ${number}`, [{ kind: 'set-groups', groups }]);
  };
  /** An empty number keeps what is there. */
  const recallDraft = (number: string) => {
    const now = kept();
    if (!now) return;
    if (!Object.hasOwn(now.drafts, number)) {
      keepDraft(number);
      return;
    }
    const { song } = open.session.store.getState();
    const groups = recalledGroupDraft(song, now, number);
    comparing.hold(song, now);
    open.do(`${name}: draft ${number}`, [{ kind: 'set-groups', groups }]);
  };
  /** On the row of a group the number keys are the group's. */
  const onKeyDown = (event: KeyboardEvent) => {
    const { ctrlKey, metaKey, altKey, shiftKey, target, key } = event;
    const number = draftKey(event.nativeEvent);
    if (number === null || ctrlKey || metaKey || altKey || wantsKey(target, key)) return;
    event.preventDefault();
    event.stopPropagation();
    if (shiftKey) keepDraft(number);
    else recallDraft(number);
  };
  const dissolve = () => {
    const { song } = open.session.store.getState();
    const own = moveOf(song, target);
    open.do(`${name}: dissolved`, [
      ...(own
        ? [{ kind: 'set-moves', moves: song.moves.filter((one) => one !== own) } as const]
        : []),
      ...(song.rooms.some(({ groupId }) => groupId === id)
        ? [
            {
              kind: 'set-rooms',
              rooms: song.rooms.map((room) =>
                room.groupId === id ? { ...room, groupId: group.parentId } : room,
              ),
            } as const,
          ]
        : []),
      { kind: 'set-groups', groups: dissolved(song, group) },
    ]);
  };
  return (
    <div
      ref={setNodeRef}
      className={`group-lane${group.muted ? ' unheard' : ''}`}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      data-testid={`group-${name}`}
      role="group"
      aria-label={name}
      onKeyDown={onKeyDown}
    >
      <div className="group-lane-head" style={{ paddingLeft: 2 + indent * depth }}>
        <button
          type="button"
          className="btn-tool"
          aria-label={`Drag ${name}`}
          title="Drag: the group and its parts elsewhere"
          ref={setActivatorNodeRef}
          {...attributes}
          {...listeners}
          tabIndex={0}
          aria-roledescription={undefined}
        >
          <DotsSixVertical aria-hidden />
        </button>
        <button
          type="button"
          className="btn-tool"
          aria-label={`Settings of ${name}`}
          aria-expanded={shown}
          onClick={() => setShown(!shown)}
        >
          {shown ? <CaretDown size={12} weight="bold" /> : <CaretRight size={12} weight="bold" />}
        </button>
        <LaneName
          name={name}
          onName={(to) => open.do(`${name}: name ${to}`, edits({ name: to }))}
        />
        {!isCompared && (
          <span className="quiet small text-nowrap">{plural(partIds.length, 'part')}</span>
        )}
        {(shown || Object.keys(group.drafts).length > 0) && (
          <DraftKeys
            of={name}
            what="its level, what is done to all of it and its stage"
            drafts={group.drafts}
            draft={group.draft}
            changed={group.draft !== null && !isGroupDraft(group, group.draft)}
            onRecall={recallDraft}
            onKeep={keepDraft}
          />
        )}
        {isCompared && <Matched group={group} figures={figures} comparing={comparing} />}
        <span className="flex-grow-1" />
        <GroupVerdict id={id} name={name} figures={figures} />
        <NumberField
          parameter={groupParameters.levelDb}
          label={`Level of ${name}`}
          value={group.levelDb}
          width={78}
          onPreview={(levelDb) => open.preview(edits({ levelDb }))}
          onCommit={(levelDb) =>
            open.do(
              `${name}: ${changeText('level', groupParameters.levelDb, kept()?.levelDb ?? 0, levelDb)}`,
              edits({ levelDb }),
            )
          }
          onCancel={() => open.session.endPreview()}
        />
        <button
          type="button"
          className="letter-toggle"
          aria-pressed={soloed}
          aria-label={`Solo ${name}`}
          title="Solo: hear only these"
          onClick={() =>
            open.playback.listen({
              solo: [
                ...solo.filter((partId) => !partIds.includes(partId)),
                ...(soloed ? [] : partIds),
              ],
            })
          }
        >
          S
        </button>
        <button
          type="button"
          className="letter-toggle"
          aria-pressed={group.muted}
          aria-label={`Mute ${name}`}
          title="Mute all of it"
          onClick={() =>
            open.do(`${name}: ${group.muted ? 'unmuted' : 'muted'}`, edits({ muted: !group.muted }))
          }
        >
          M
        </button>
        <button
          type="button"
          className="btn-tool"
          aria-label={`Dissolve ${name}`}
          title={`Dissolve: its parts stay, in ${group.parentId === null ? 'no group' : 'the group that it lies in'}`}
          onClick={dissolve}
        >
          <Trash aria-hidden />
        </button>
      </div>
      {shown && <GroupSettings group={group} />}
      {move && <MoveLane name={name} target={target} curve={move.curve} width={width} />}
    </div>
  );
});
