import { groupRecipes } from '@pannet/core/image/group-recipes';
import { groupStageDescription, type GroupStage } from '@pannet/core/image/group-stage';
import { lowMonoParameters, stageParameters } from '@pannet/core/parameters/tables';
import { roots } from '@pannet/core/rendering/plan';
import { changedGroup, mayLieIn } from '@pannet/core/song/groups';
import type { Edit } from '@pannet/core/song/edits/edit';
import { levelTarget, moveOf } from '@pannet/core/song/moves-of';
import type { Group } from '@pannet/core/song/song';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useShallow } from 'zustand/react/shallow';
import { ParameterRow } from '../controls/ParameterRow.tsx';
import { preparationChanges, PreparationFields, type Change } from '../image/PreparationFields.tsx';
import { tableChanges } from '../image/voice-edits.ts';
import { MixDialog } from '../report/MixReport.tsx';
import { useOpenSong, useSession } from '../session/use-open-song.ts';
import { useMoves } from './use-moves.ts';

const stageTable = {
  widthPercent: stageParameters.widthPercent,
  lowHz: lowMonoParameters.hz,
  tiltDb: stageParameters.tiltDb,
} as const;
type StageKey = keyof typeof stageTable;

/** What is done to all of a group: low cut, equaliser, compressor, and its stage. */
export function GroupSettings({ group }: { readonly group: Group }) {
  const open = useOpenSong();
  const [measuring, setMeasuring] = useState(false);
  const { id, name, preparation, stage } = group;
  const edits = (changes: Partial<Group>): Edit[] => [
    { kind: 'set-groups', groups: changedGroup(open.session.store.getState().song, id, changes) },
  ];
  const kept = () => open.session.store.getState().song.groups.find((one) => one.id === id);
  const cancel = () => open.session.endPreview();
  const commit = (change: Change) => {
    const before = kept()?.preparation;
    if (!before) return;
    const after = change(before);
    const says = preparationChanges(before, after);
    if (says.length === 0) cancel();
    else open.do(`${name}: ${says.join(', ')}`, edits({ preparation: after }));
  };
  const commitStage = (changes: Partial<GroupStage>) => {
    const before = kept()?.stage;
    if (!before) return;
    const after = { ...before, ...changes };
    const says = tableChanges(stageTable, before, after);
    if (says.length === 0) cancel();
    else open.do(`${name}: ${says.join(', ')}`, edits({ stage: after }));
  };
  const others = useSession(useShallow(({ shown }) => mayLieIn(shown, group)));
  const now = JSON.stringify([preparation, stage]);
  const asRecipe = groupRecipes.find(
    (recipe) => JSON.stringify([recipe.preparation, recipe.stage]) === now,
  );
  const target = levelTarget('group', id);
  const moved = useSession(({ shown }) => moveOf(shown, target) !== null);
  const moves = useMoves();
  const stageRow = (key: StageKey) => (
    <ParameterRow
      key={key}
      parameter={stageTable[key]}
      value={stage[key]}
      slider={false}
      onPreview={(value) =>
        open.preview(edits({ stage: { ...stage, [key]: value } as GroupStage }))
      }
      onCommit={(value) => commitStage({ [key]: value })}
      onCancel={cancel}
    />
  );
  return (
    <div className="group-settings">
      <div>
        <PreparationFields
          preparation={preparation}
          onPreview={(change) => open.preview(edits({ preparation: change(preparation) }))}
          onCommit={commit}
          onCancel={cancel}
        />
      </div>
      <div>
        <h3 className="panel-heading">Stage of all of it</h3>
        {(Object.keys(stageTable) as StageKey[]).map(stageRow)}
        <select
          className="plain-select my-1"
          aria-label={`Recipe for ${name}`}
          title="A recipe sets its low cut, equaliser, compressor and stage"
          value={asRecipe?.id ?? ''}
          onChange={(event) => {
            const recipe = groupRecipes.find((one) => one.id === event.target.value);
            if (!recipe) return;
            open.do(
              `${name}: ${recipe.name}`,
              edits({ preparation: recipe.preparation, stage: recipe.stage }),
            );
          }}
        >
          <option value="" disabled hidden>
            by a recipe …
          </option>
          {groupRecipes.map((recipe) => (
            <option key={recipe.id} value={recipe.id}>
              {recipe.name}
            </option>
          ))}
        </select>
        {asRecipe && <p className="quiet small m-0">{asRecipe.sentence}</p>}
        <label className="d-flex align-items-center gap-2 small my-1">
          <span className="quiet">Lies in</span>
          <select
            className="plain-select"
            aria-label={`${name} lies in`}
            value={group.parentId ?? ''}
            onChange={(event) => {
              const parentId = event.target.value === '' ? null : event.target.value;
              const within = others.find((one) => one.id === parentId)?.name ?? 'no group';
              open.do(`${name}: in ${within}`, edits({ parentId }));
            }}
          >
            <option value="">no group</option>
            {others.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
        <p className="quiet small my-1">Only the difference is changed: the fold stays as it is.</p>
        <div className="d-flex flex-wrap gap-2">
          <Button size="sm" variant="outline-primary" onClick={() => setMeasuring(true)}>
            Measure it …
          </Button>
          <Button
            size="sm"
            variant="outline-primary"
            disabled={moved}
            title="Its level goes by points or a cycle along the song, drawn under it"
            onClick={() => moves.begin(`${name}: level along the song`, target)}
          >
            Move its level
          </Button>
          <Button
            size="sm"
            variant="outline-primary"
            onClick={() => commitStage(groupStageDescription.parse({}))}
          >
            Leave its stage
          </Button>
        </div>
      </div>
      {measuring && (
        <MixDialog
          root={roots.group(id)}
          title={name}
          what="The group"
          onClose={() => setMeasuring(false)}
        />
      )}
    </div>
  );
}
