import { PencilSimple, Plus, Trash } from '@phosphor-icons/react';
import { plural } from '@pannet/core/quantities/wording';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Alert from 'react-bootstrap/Alert';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import Spinner from 'react-bootstrap/Spinner';
import { Link, useNavigate } from 'react-router';
import { Account, useAccount } from '../accounts/Account.tsx';
import { SignIn } from '../accounts/SignIn.tsx';
import { sentenceOf, ServerLost } from '../api/request.ts';
import {
  createSong,
  deleteSong,
  listSongs,
  renameSong,
  restoreSong,
  type SongSummary,
} from '../api/songs.ts';
import { say } from '../controls/notices.ts';
import { DropArea } from '../controls/DropArea.tsx';
import { handOver } from '../importing/waiting-files.ts';
import { DiskUse } from './DiskUse.tsx';
import './songs.scss';

const songsKey = ['songs'];

/** All songs; a drop anywhere begins a new one. */
export function SongsPage() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const account = useAccount();
  const signedOut = account.data?.accounts === true && account.data.name === null;
  const songs = useQuery({ queryKey: songsKey, queryFn: listSongs, enabled: !signedOut });
  const refresh = () => queries.invalidateQueries({ queryKey: songsKey });
  const begin = useMutation({
    mutationFn: ({ title }: { title: string; files: readonly File[] }) => createSong(title),
    onSuccess: (song, { files }) => {
      handOver(song.id, files);
      void refresh();
      void navigate(`/songs/${song.id}`);
    },
    onError: (error) => say(sentenceOf(error)),
  });
  const remove = useMutation({
    mutationFn: (song: SongSummary) => deleteSong(song.id),
    onSuccess: (_, song) => {
      void refresh();
      say(`“${song.title}” was deleted.`, {
        label: 'Undo',
        run: () => void restoreSong(song.id).then(refresh, (error) => say(sentenceOf(error))),
      });
    },
    onError: (error) => say(sentenceOf(error)),
  });

  if (signedOut)
    return (
      <main className="songs-page">
        <h1 className="h3">Pannet</h1>
        <p className="quiet">Mono stems in; wide, fold-checked stereo stems out.</p>
        <SignIn />
      </main>
    );
  return (
    <DropArea
      hint="Drop the files to begin a new song"
      onFiles={(files) => begin.mutate({ title: titleFrom(files), files })}
    >
      <main className="songs-page">
        <header className="songs-header mb-4">
          <h1 className="h3 m-0 me-3">Pannet</h1>
          <span className="quiet flex-grow-1 text-truncate">
            Mono stems in; wide, fold-checked stereo stems out.
          </span>
          <Account />
          <Link to="/measure" className="me-3">
            Measure a file
          </Link>
          <Button onClick={() => begin.mutate({ title: 'Untitled song', files: [] })}>
            <Plus aria-hidden /> New song
          </Button>
        </header>
        {songs.isPending && (
          <p className="quiet">
            <Spinner as="span" size="sm" /> Looking for songs …
          </p>
        )}
        {songs.isError && (
          <Alert variant="light" className="border">
            {sentenceOf(songs.error)}{' '}
            {songs.error instanceof ServerLost && 'Start it with “./pannet start”, then '}
            <Button size="sm" variant="outline-primary" onClick={() => void songs.refetch()}>
              Try again
            </Button>
          </Alert>
        )}
        {songs.data?.length === 0 && (
          <p className="empty">
            There is no song yet. Drop mono files and a stereo rough mix anywhere here, or begin an
            empty one.
          </p>
        )}
        {songs.data?.map((song) => (
          <SongRow
            key={song.id}
            song={song}
            onChanged={() => void refresh()}
            onDelete={() => remove.mutate(song)}
          />
        ))}
        {songs.data && songs.data.length > 0 && (
          <p className="quiet mt-4">
            Drop mono files and a rough mix anywhere on this page to begin another song with them.
          </p>
        )}
        {songs.data && <DiskUse />}
      </main>
    </DropArea>
  );
}

interface RowProps {
  readonly song: SongSummary;
  readonly onChanged: () => void;
  readonly onDelete: () => void;
}

function SongRow({ song, onChanged, onDelete }: RowProps) {
  const [renaming, setRenaming] = useState<string | null>(null);
  const rename = async () => {
    const title = renaming?.trim();
    setRenaming(null);
    if (!title || title === song.title) return;
    await renameSong(song, title).catch((error: unknown) => say(sentenceOf(error)));
    onChanged();
  };
  return (
    <div className="song-row">
      {renaming === null ? (
        <Link to={`/songs/${song.id}`} className="fw-semibold text-truncate">
          {song.title}
        </Link>
      ) : (
        <Form.Control
          autoFocus
          aria-label="Title"
          maxLength={120}
          value={renaming}
          onChange={(event) => setRenaming(event.target.value)}
          onBlur={() => void rename()}
          onKeyDown={(event) => {
            if (event.key === 'Enter') void rename();
            if (event.key === 'Escape') setRenaming(null);
          }}
        />
      )}
      <span className="quiet">
        {plural(song.parts, 'part')}
        {song.may !== 'own' && ` · ${song.owner}’s${song.may === 'read' ? ', to read' : ''}`}
      </span>
      <span className="quiet">
        {new Date(song.updatedAt).toLocaleString(undefined, {
          dateStyle: 'medium',
          timeStyle: 'short',
        })}
      </span>
      <span>
        <Button
          className="btn-tool"
          variant="light"
          aria-label={`Rename ${song.title}`}
          disabled={song.may === 'read'}
          onClick={() => setRenaming(song.title)}
        >
          <PencilSimple />
        </Button>
        <Button
          className="btn-tool"
          variant="light"
          aria-label={`Delete ${song.title}`}
          disabled={song.may !== 'own'}
          onClick={onDelete}
        >
          <Trash />
        </Button>
      </span>
    </div>
  );
}

function titleFrom(files: readonly File[]): string {
  const [first] = files;
  return files.length === 1 && first
    ? first.name.replace(/\.[^.]*$/, '').slice(0, 120)
    : 'Untitled song';
}
