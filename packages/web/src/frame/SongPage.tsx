import { useEffect, useRef, useState } from 'react';
import Button from 'react-bootstrap/Button';
import Spinner from 'react-bootstrap/Spinner';
import { Link, useParams } from 'react-router';
import { SignIn } from '../accounts/SignIn.tsx';
import { Refused, sentenceOf } from '../api/request.ts';
import { SongSession } from '../sync/song-session.ts';
import { OpenSong } from '../session/open-song.ts';
import { OpenSongContext } from '../session/use-open-song.ts';
import { SongFrame } from './SongFrame.tsx';

/** Opens the song of the address; the frame inside only knows an open one. */
export function SongPage() {
  const { songId = '', partId } = useParams();
  const addressed = useRef(partId);
  const [open, setOpen] = useState<OpenSong | null>(null);
  const [failure, setFailure] = useState<unknown>(null);
  const [attempt, setAttempt] = useState(0);

  useEffect(() => {
    let opened: OpenSong | null = null;
    let left = false;
    SongSession.open(songId).then(
      (session) => {
        if (left) {
          session.close();
          return;
        }
        opened = new OpenSong(session, addressed.current);
        setFailure(null);
        setOpen(opened);
      },
      (error: unknown) => !left && setFailure(error ?? new Error('The song could not be opened.')),
    );
    return () => {
      left = true;
      opened?.close();
      setOpen(null);
    };
  }, [songId, attempt]);

  if (open) {
    return (
      <OpenSongContext value={open}>
        <SongFrame key={open.session.id} />
      </OpenSongContext>
    );
  }
  return (
    <main className="songs-page">
      {failure === null ? (
        <p className="quiet">
          <Spinner as="span" size="sm" /> Opening the song …
        </p>
      ) : failure instanceof Refused && failure.status === 401 ? (
        <>
          <h1 className="h4">Sign in to open this song</h1>
          <SignIn onSignedIn={() => setAttempt(attempt + 1)} />
        </>
      ) : (
        <>
          <h1 className="h5">The song could not be opened</h1>
          <p>{sentenceOf(failure)}</p>
          <Button onClick={() => setAttempt(attempt + 1)}>Try again</Button>{' '}
          <Link className="ms-2" to="/">
            To the songs
          </Link>
        </>
      )}
    </main>
  );
}
