import './accounts.scss';
import { Trash } from '@phosphor-icons/react';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import Modal from 'react-bootstrap/Modal';
import Spinner from 'react-bootstrap/Spinner';
import { sentenceOf } from '../api/request.ts';
import { listShares, shareSong, unshareSong, type Share } from '../api/songs.ts';

interface Props {
  readonly songId: string;
  /** Only the owner can change it; others see it. */
  readonly own: boolean;
  readonly onClose: () => void;
}

const rights = [
  ['read', 'read and listen'],
  ['work', 'work on it'],
] as const;

/** Who else may read the song, or work on it. */
export function ShareDialog({ songId, own, onClose }: Props) {
  const key = ['shares', songId];
  const queries = useQueryClient();
  const shares = useQuery({ queryKey: key, queryFn: () => listShares(songId) });
  const [name, setName] = useState('');
  const [may, setMay] = useState<Share['may']>('work');
  const taken = (list: Share[]) => void queries.setQueryData(key, list);
  const share = useMutation({
    mutationFn: (one: Share) => shareSong(songId, one),
    onSuccess: (list, one) => {
      taken(list);
      if (one.name === name.trim()) setName('');
    },
  });
  const unshare = useMutation({
    mutationFn: (one: string) => unshareSong(songId, one),
    onSuccess: taken,
  });
  const failure = share.error ?? unshare.error ?? shares.error;
  const busy = share.isPending || unshare.isPending;

  return (
    <Modal show centered onHide={onClose} aria-labelledby="share-title">
      <Modal.Header closeButton>
        <Modal.Title as="h2" className="h5" id="share-title">
          Who else sees this song
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {shares.isPending && (
          <p className="quiet">
            <Spinner as="span" size="sm" /> Looking …
          </p>
        )}
        {shares.data?.length === 0 && <p className="quiet">Nobody but its owner.</p>}
        {shares.data?.map((one) => (
          <div key={one.name} className="share-row">
            <span className="text-truncate flex-grow-1">{one.name}</span>
            <Form.Select
              size="sm"
              aria-label={`What ${one.name} may do`}
              disabled={!own || busy}
              value={one.may}
              onChange={(event) =>
                share.mutate({ name: one.name, may: event.target.value as Share['may'] })
              }
            >
              {rights.map(([id, label]) => (
                <option key={id} value={id}>
                  may {label}
                </option>
              ))}
            </Form.Select>
            {own && (
              <Button
                className="btn-tool"
                variant="light"
                aria-label={`No longer share with ${one.name}`}
                disabled={busy}
                onClick={() => unshare.mutate(one.name)}
              >
                <Trash />
              </Button>
            )}
          </div>
        ))}
        {own && (
          <Form
            className="share-row mt-3"
            onSubmit={(event) => {
              event.preventDefault();
              share.mutate({ name: name.trim(), may });
            }}
          >
            <Form.Control
              size="sm"
              required
              maxLength={40}
              aria-label="Name of an account"
              placeholder="Name of an account"
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
            <Form.Select
              size="sm"
              aria-label="What they may do"
              value={may}
              onChange={(event) => setMay(event.target.value as Share['may'])}
            >
              {rights.map(([id, label]) => (
                <option key={id} value={id}>
                  may {label}
                </option>
              ))}
            </Form.Select>
            <Button size="sm" type="submit" disabled={busy || name.trim() === ''}>
              Share
            </Button>
          </Form>
        )}
        {failure && (
          <p role="alert" className="mt-2 mb-0">
            {sentenceOf(failure)}
          </p>
        )}
      </Modal.Body>
    </Modal>
  );
}
