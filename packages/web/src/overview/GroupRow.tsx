import { useSortable } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { CaretDown, CaretRight, DotsSixVertical, Trash } from '@phosphor-icons/react';
import { groupParameters } from '@pannet/core/parameters/tables';
import { plural } from '@pannet/core/quantities/wording';
import { changedGroup } from '@pannet/core/song/groups';
import { levelTarget, moveOf } from '@pannet/core/song/moves-of';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Group } from '@pannet/core/song/song';
import { memo, useState } from 'react';
import { NumberField } from '../controls/NumberField.tsx';
import { changeText } from '../image/voice-edits.ts';
import { useOpenSong, usePlayback, useSession } from '../session/open-song.ts';
import { GroupSettings } from './GroupSettings.tsx';
import { LaneName } from './LaneName.tsx';
import { MoveLane } from './MoveLane.tsx';

interface Props {
  readonly group: Group;
  readonly width: number;
}

/** A group above its parts: level, solo and mute of all of them. */
export const GroupRow = memo(function GroupRow({ group, width }: Props) {
  const open = useOpenSong();
  const { id, name, partIds } = group;
  const solo = usePlayback((state) => state.monitoring.solo);
  const soloed = partIds.length > 0 && partIds.every((partId) => solo.includes(partId));
  const [shown, setShown] = useState(false);
  const target = levelTarget('group', id);
  const move = useSession(({ shown }) => moveOf(shown, target));
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition } =
    useSortable({ id: `group/${id}` });
  const edits = (changes: Partial<Group>): Edit[] => [
    { kind: 'set-groups', groups: changedGroup(open.session.store.getState().song, id, changes) },
  ];
  const kept = () => open.session.store.getState().song.groups.find((one) => one.id === id);
  const dissolve = () => {
    const { song } = open.session.store.getState();
    const own = moveOf(song, target);
    open.do(`${name}: dissolved`, [
      ...(own
        ? [{ kind: 'set-moves', moves: song.moves.filter((one) => one !== own) } as const]
        : []),
      { kind: 'set-groups', groups: song.groups.filter((one) => one.id !== id) },
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
    >
      <div className="group-lane-head">
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
        <span className="quiet small">{plural(partIds.length, 'part')}</span>
        <span className="flex-grow-1" />
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
          title="Dissolve: its parts stay, in no group"
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
