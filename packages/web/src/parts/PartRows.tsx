import { closestCenter, DndContext, PointerSensor, useSensor, useSensors } from '@dnd-kit/core';
import { restrictToParentElement, restrictToVerticalAxis } from '@dnd-kit/modifiers';
import { SortableContext, verticalListSortingStrategy } from '@dnd-kit/sortable';
import { partsInOrder } from '@pannet/core/song/song';
import type { MouseEvent } from 'react';
import { useOpenSong, useSong } from '../session/use-open-song.ts';
import { PartRow } from './PartRow.tsx';
import { placePart } from './parts-together.ts';

/** Read out where a part is reached by keys. */
const byKeys = 'Alt and the arrow keys move this part among the others.';

interface Props {
  /** Those that are selected. */
  readonly partIds: readonly string[];
  readonly onSelect: (event: MouseEvent, partId: string) => void;
  /** Dropped on a part, files become takes of it. */
  readonly onFiles: (files: readonly File[], partId: string) => void;
}

/** All parts in their order, which is changed by dragging. */
export function PartRows({ partIds, onSelect, onFiles }: Props) {
  const open = useOpenSong();
  const song = useSong();
  // A press selects; only what is moved by some way is dragged.
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 6 } }));
  return (
    <DndContext
      sensors={sensors}
      accessibility={{ screenReaderInstructions: { draggable: byKeys } }}
      collisionDetection={closestCenter}
      modifiers={[restrictToVerticalAxis, restrictToParentElement]}
      onDragEnd={({ active, over }) => {
        if (over) placePart(open, String(active.id), song.partOrder.indexOf(String(over.id)));
      }}
    >
      <SortableContext items={[...song.partOrder]} strategy={verticalListSortingStrategy}>
        <div>
          {partsInOrder(song).map((part, row) => (
            <PartRow
              key={part.id}
              part={part}
              row={row}
              selected={partIds.includes(part.id)}
              onSelect={(event) => onSelect(event, part.id)}
              onFiles={(files) => onFiles(files, part.id)}
            />
          ))}
        </div>
      </SortableContext>
    </DndContext>
  );
}
