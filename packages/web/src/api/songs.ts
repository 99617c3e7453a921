import type { Command, LoggedCommand } from '@pannet/core/song/commands';
import type { Song } from '@pannet/core/song/song';
import { request } from './request.ts';

export interface SongSummary {
  readonly id: string;
  readonly title: string;
  readonly revision: number;
  readonly parts: number;
  readonly updatedAt: string;
}

export interface OpenedSong {
  readonly song: Song;
  readonly revision: number;
  readonly log: readonly LoggedCommand[];
}

const at = (id: string) => `/api/songs/${id}`;

export const listSongs = () => request<SongSummary[]>('GET', '/api/songs');
export const createSong = (title: string) => request<SongSummary>('POST', '/api/songs', { title });
export const openSong = (id: string) => request<OpenedSong>('GET', at(id));
export const deleteSong = (id: string) => request<void>('DELETE', at(id));
export const restoreSong = (id: string) => request<SongSummary>('POST', `${at(id)}/restore`);

export const sendCommands = (id: string, baseRevision: number, commands: readonly Command[]) =>
  request<{ revision: number }>('POST', `${at(id)}/commands`, { baseRevision, commands });
