import Form from 'react-bootstrap/Form';
import Modal from 'react-bootstrap/Modal';
import { useStore } from 'zustand';
import { letterKeys, setLetterKeys, shortcuts } from '../session/shortcuts.ts';

const words = [
  ['Voice', 'a placed copy of a take: where, when, how tuned, how loud'],
  ['Fold', '(L+R)/2, as one speaker plays it'],
  ['Plain', 'the take in the middle, at the loudness of the image'],
  ['Lead', 'by how many ms which side speaks first'],
  ['Lean', 'by how many dB the image is heavier on one side'],
  ['S/M', 'the difference of L and R against their middle: how wide it really is'],
  ['Mirrored', 'to L as it is, to R inverted: it vanishes in the fold'],
] as const;

export function HelpDialog({ onClose }: { readonly onClose: () => void }) {
  const { on } = useStore(letterKeys);
  return (
    <Modal show onHide={onClose} centered>
      <Modal.Header closeButton>
        <Modal.Title as="h2" className="h6">
          Keys and words
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <dl className="row mb-2">
          {shortcuts.map(({ keys, what }) => (
            <div key={keys} className="d-flex">
              <dt className="col-5 mono fw-normal">{keys}</dt>
              <dd className="col-7 mb-1">{what}</dd>
            </div>
          ))}
        </dl>
        <Form.Check
          type="switch"
          id="letter-keys"
          label="Single letters are shortcuts"
          checked={on}
          onChange={(event) => setLetterKeys(event.target.checked)}
        />
        <hr />
        <dl className="row mb-0">
          {words.map(([word, meaning]) => (
            <div key={word} className="d-flex">
              <dt className="col-3">{word}</dt>
              <dd className="col-9 mb-1">{meaning}</dd>
            </div>
          ))}
        </dl>
      </Modal.Body>
    </Modal>
  );
}
