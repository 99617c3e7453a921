import { plural } from '@pannet/core/quantities/wording';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import Modal from 'react-bootstrap/Modal';
import { factsSentence } from './facts-sentence.ts';
import { answers, type Answer, type Arrival } from './placing.ts';

interface Props {
  readonly asked: readonly Arrival[];
  readonly onAnswer: (given: readonly Answer[]) => void;
}

/** What came, and what it becomes: answered already as it most likely is meant. */
export function ImportDialog({ asked, onAnswer }: Props) {
  const [given, setGiven] = useState<readonly Answer[]>([]);
  const answerOf = (n: number) => given[n] ?? asked[n].choices[0];
  const all = asked.map((_, n) => answerOf(n));
  const files = asked.reduce((sum, { recordings }) => sum + recordings.length, 0);
  return (
    <Modal show centered onHide={() => onAnswer(asked.map(() => 'nothing'))}>
      <Modal.Header closeButton>
        <Modal.Title as="h2" className="h6">
          What becomes of {plural(files, 'file')}?
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {asked.map(({ recordings, choices }, n) => (
          <div key={n} className={n > 0 ? 'border-top mt-3 pt-3' : undefined}>
            {recordings.map((recording, take) => (
              <p key={take} className="m-0">
                <span className="fw-semibold">{recording.fileName}</span>{' '}
                <span className="quiet small">{factsSentence(recording)}</span>
              </p>
            ))}
            <select
              className="form-select form-select-sm mt-1"
              aria-label={`What becomes of ${recordings.map(({ fileName }) => fileName).join(', ')}`}
              value={answerOf(n)}
              onChange={(event) => setGiven(all.with(n, event.target.value as Answer))}
            >
              {choices.map((choice) => (
                <option key={choice} value={choice}>
                  {answers[choice]}
                </option>
              ))}
            </select>
          </div>
        ))}
      </Modal.Body>
      <Modal.Footer>
        <Button variant="outline-primary" onClick={() => onAnswer(asked.map(() => 'nothing'))}>
          Leave {asked.length > 1 ? 'them' : 'it'} out
        </Button>
        <Button autoFocus onClick={() => onAnswer(all)}>
          Bring in
        </Button>
      </Modal.Footer>
    </Modal>
  );
}
