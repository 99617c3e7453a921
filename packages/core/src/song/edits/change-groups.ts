import { groupDescription, mostGroups } from '../along.ts';
import { changeList } from './change-list.ts';

export const changeGroups = changeList(
  'change-groups',
  'groups',
  groupDescription,
  mostGroups,
  'a group',
);
