import { blindSentence, fewestRounds } from '@pannet/core/comparing/blind';
import { plural } from '@pannet/core/quantities/wording';
import type { Part } from '@pannet/core/song/song';
import { useEffect } from 'react';
import Button from 'react-bootstrap/Button';
import Modal from 'react-bootstrap/Modal';
import { useOpenSong } from '../session/use-open-song.ts';
import type { BlindState } from '../comparing/blind-session.ts';
import { nameOfState } from '../comparing/states.ts';

interface Props {
  readonly part: Part;
  readonly blind: BlindState;
}

/** Two states without their names. It covers what would give them away. */
export function BlindDialog({ part, blind }: Props) {
  const { blind: session } = useOpenSong();
  const { hearing, rounds, firstChosen, first, second, ended } = blind;
  const end = () => session.end(new Date().toISOString());
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const { key } = event;
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      if (key === 'ArrowLeft') session.hear('a');
      else if (key === 'ArrowRight') session.hear('b');
      else if (key === '1') session.choose('a');
      else if (key === '2') session.choose('b');
      // All other letters would flip something behind.
      else if (!/^[a-z0-9?-]$/i.test(key)) return;
      event.preventDefault();
      event.stopPropagation();
    };
    addEventListener('keydown', onKey, true);
    return () => removeEventListener('keydown', onKey, true);
  }, [session]);
  return (
    <Modal show centered onHide={() => session.close()} backdropClassName="blind-backdrop">
      <Modal.Header closeButton>
        <Modal.Title as="h2" className="h6">
          {part.name}, blind
        </Modal.Title>
      </Modal.Header>
      {ended ? (
        <Modal.Body>
          <p role="status" data-testid="blind-outcome" className="m-0">
            {blindSentence(nameOfState(first), nameOfState(second), rounds, firstChosen)}
          </p>
        </Modal.Body>
      ) : (
        <Modal.Body>
          <div className="blind-pair">
            {(['a', 'b'] as const).map((name) => (
              <div key={name}>
                <button
                  type="button"
                  className="blind-name"
                  aria-pressed={hearing === name}
                  title={`Hear ${name.toUpperCase()} (${name === 'a' ? '←' : '→'})`}
                  onClick={() => session.hear(name)}
                >
                  {name.toUpperCase()}
                  <span className="small d-block">{hearing === name ? 'heard' : 'hear'}</span>
                </button>
                <Button
                  variant="outline-primary"
                  className="w-100 mt-2"
                  title={name === 'a' ? '1' : '2'}
                  onClick={() => session.choose(name)}
                >
                  {name.toUpperCase()} is better
                </Button>
              </div>
            ))}
          </div>
          <p className="quiet small m-0 mt-3">
            ← and → hear A and B, 1 and 2 choose. After each choice they are shuffled again.
          </p>
        </Modal.Body>
      )}
      <Modal.Footer>
        <span className="flex-grow-1 mono small" data-testid="blind-count">
          {plural(rounds, 'round')}
          {!ended && rounds < fewestRounds ? `, ${fewestRounds} at least to show anything` : ''}
        </span>
        {ended ? (
          <Button onClick={() => session.close()}>Done</Button>
        ) : (
          <Button disabled={rounds === 0} onClick={end}>
            End and show the names
          </Button>
        )}
      </Modal.Footer>
    </Modal>
  );
}
