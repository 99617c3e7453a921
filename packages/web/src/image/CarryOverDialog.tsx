import { mirroredImage } from '@pannet/core/image/image';
import { plural } from '@pannet/core/quantities/wording';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Part } from '@pannet/core/song/song';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import Modal from 'react-bootstrap/Modal';
import { useOpenSong, useSelection, useSong } from '../session/open-song.ts';

interface Props {
  readonly part: Part;
  readonly onClose: () => void;
}

/** Gives the image of a part to others, all as one undo. */
export function CarryOverDialog({ part, onClose }: Props) {
  const open = useOpenSong();
  const song = useSong();
  const { partIds } = useSelection();
  const others = song.partOrder.filter((id) => id !== part.id);
  const [chosen, setChosen] = useState<readonly string[]>(partIds.filter((id) => id !== part.id));
  const [mirrored, setMirrored] = useState(false);
  const [prepared, setPrepared] = useState(false);
  const carry = () => {
    // As it is kept: what is only tried is not carried over.
    const kept = open.keptPart(part.id);
    if (!kept) return;
    const image = mirrored ? mirroredImage(kept.image) : kept.image;
    const edits = chosen.flatMap((partId): Edit[] => [
      { kind: 'set-image', partId, image },
      ...(prepared
        ? [{ kind: 'set-preparation', partId, preparation: kept.preparation } as const]
        : []),
    ]);
    const how = mirrored ? ', mirrored' : '';
    if (open.do(`${part.name} carried over to ${plural(chosen.length, 'part')}${how}`, edits))
      onClose();
  };
  return (
    <Modal show onHide={onClose} centered>
      <Modal.Header closeButton>
        <Modal.Title as="h2" className="h6">
          Carry the image of {part.name} over
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {others.length === 0 && <p className="m-0">There is no other part in this song.</p>}
        {others.map((id) => (
          <Form.Check
            key={id}
            id={`carry-${id}`}
            label={song.parts[id].name}
            checked={chosen.includes(id)}
            onChange={() =>
              setChosen(
                chosen.includes(id) ? chosen.filter((other) => other !== id) : [...chosen, id],
              )
            }
          />
        ))}
        {others.length > 0 && (
          <div className="border-top mt-2 pt-2">
            <Form.Check
              id="carry-mirrored"
              label="Mirrored: left and right change places"
              checked={mirrored}
              onChange={(event) => setMirrored(event.target.checked)}
            />
            <Form.Check
              id="carry-prepared"
              label="With the preparation of the take"
              checked={prepared}
              onChange={(event) => setPrepared(event.target.checked)}
            />
          </div>
        )}
      </Modal.Body>
      <Modal.Footer>
        <Button disabled={chosen.length === 0} onClick={carry}>
          Carry over{chosen.length > 0 ? ` to ${plural(chosen.length, 'part')}` : ''}
        </Button>
      </Modal.Footer>
    </Modal>
  );
}
