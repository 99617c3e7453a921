import { mirroredImage } from '@pannet/core/image/image';
import { plural } from '@pannet/core/quantities/wording';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Part } from '@pannet/core/song/song';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import Modal from 'react-bootstrap/Modal';
import { useOpenSong, useSelection, useSong } from '../session/use-open-song.ts';

interface Props {
  readonly part: Part;
  readonly onClose: () => void;
}

const carried = {
  image: 'The image',
  both: 'The image and the preparation of the take',
  preparation: 'The preparation alone',
} as const;

/** Gives the image of a part, its preparation, or both to others, all as one undo. */
export function CarryOverDialog({ part, onClose }: Props) {
  const open = useOpenSong();
  const song = useSong();
  const { partIds } = useSelection();
  const others = song.partOrder.filter((id) => id !== part.id);
  const [chosen, setChosen] = useState<readonly string[]>(partIds.filter((id) => id !== part.id));
  const [mirrored, setMirrored] = useState(false);
  const [what, setWhat] = useState<keyof typeof carried>('image');
  const carry = () => {
    // As it is kept: what is only tried is not carried over.
    const kept = open.keptPart(part.id);
    if (!kept) return;
    const image = mirrored ? mirroredImage(kept.image) : kept.image;
    const edits = chosen.flatMap((partId): Edit[] => [
      ...(what === 'preparation'
        ? []
        : [
            { kind: 'set-image', partId, image } as const,
            // What it is meant to do is meant there, too.
            { kind: 'set-part', partId, changes: { meant: kept.meant } } as const,
          ]),
      ...(what === 'image'
        ? []
        : [{ kind: 'set-preparation', partId, preparation: kept.preparation } as const]),
    ]);
    const how = mirrored && what !== 'preparation' ? ', mirrored' : '';
    const name = what === 'preparation' ? `${part.name}: preparation` : part.name;
    if (open.do(`${name} carried over to ${plural(chosen.length, 'part')}${how}`, edits)) onClose();
  };
  return (
    <Modal show onHide={onClose} centered>
      <Modal.Header closeButton>
        <Modal.Title as="h2" className="h6">
          Carry over from {part.name}
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
              disabled={what === 'preparation'}
              onChange={(event) => setMirrored(event.target.checked)}
            />
            {(Object.keys(carried) as (keyof typeof carried)[]).map((key) => (
              <Form.Check
                key={key}
                type="radio"
                name="carried"
                id={`carry-${key}`}
                label={carried[key]}
                checked={what === key}
                onChange={() => setWhat(key)}
              />
            ))}
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
