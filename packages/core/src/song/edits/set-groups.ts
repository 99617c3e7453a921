import * as z from 'zod';
import { groupDescription, mostGroups } from '../along.ts';
import { checkSong } from '../song.ts';
import { edited, editOf, type EditModule } from './edit.ts';

const description = editOf('set-groups', { groups: z.array(groupDescription).max(mostGroups) });

export const setGroups: EditModule<typeof description> = {
  description,
  apply: (song, { groups }) => {
    const changed = checkSong({ ...song, groups });
    if (!changed.ok) return changed;
    return edited(changed.value, { kind: 'set-groups', groups: song.groups });
  },
  merge: (_, later) => later,
};
