import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import Modal from 'react-bootstrap/Modal';
import { sentenceOf } from '../api/request.ts';
import { choosePassword } from '../api/session.ts';
import { say } from '../controls/notices.ts';

/** Another password; every other session of the account ends with it. */
export function PasswordDialog({ onClose }: { readonly onClose: () => void }) {
  const [current, setCurrent] = useState('');
  const [next, setNext] = useState('');
  const choosing = useMutation({
    mutationFn: () => choosePassword(current, next),
    onSuccess: () => {
      say('The password was changed; all other sessions have ended.');
      onClose();
    },
  });
  return (
    <Modal show centered onHide={onClose} aria-labelledby="password-title">
      <Modal.Header closeButton>
        <Modal.Title as="h2" className="h5" id="password-title">
          Choose another password
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <Form
          onSubmit={(event) => {
            event.preventDefault();
            choosing.mutate();
          }}
        >
          <Form.Group className="mb-2" controlId="password-current">
            <Form.Label>The one you have</Form.Label>
            <Form.Control
              autoFocus
              required
              type="password"
              autoComplete="current-password"
              maxLength={200}
              value={current}
              onChange={(event) => setCurrent(event.target.value)}
            />
          </Form.Group>
          <Form.Group className="mb-3" controlId="password-next">
            <Form.Label>The new one, of at least 12 characters</Form.Label>
            <Form.Control
              required
              type="password"
              autoComplete="new-password"
              minLength={12}
              maxLength={200}
              value={next}
              onChange={(event) => setNext(event.target.value)}
            />
          </Form.Group>
          {choosing.isError && <p role="alert">{sentenceOf(choosing.error)}</p>}
          <Button type="submit" disabled={choosing.isPending}>
            Change it
          </Button>
        </Form>
      </Modal.Body>
    </Modal>
  );
}
