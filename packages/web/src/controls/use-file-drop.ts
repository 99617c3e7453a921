import { useState, type DragEvent } from 'react';

/** The class of an area that lies in another one: what is dropped in it is its own. */
export const innerDrop = 'drop-inner';

/**
 * Handlers of an element that takes files dropped anywhere in it, and whether some are over it.
 * @param inner whether it lies in another such area; its element then has the class `innerDrop`
 */
export function useFileDrop(onFiles: (files: File[]) => void, inner = false) {
  const [over, setOver] = useState(false);
  const carriesFiles = (event: DragEvent) => event.dataTransfer.types.includes('Files');
  const handlers = {
    onDragOver: (event: DragEvent) => {
      if (!carriesFiles(event)) return;
      event.preventDefault();
      // Over one that lies in this one, that one says what becomes of it.
      const within = (event.target as Element).closest(`.${innerDrop}`);
      setOver(within === null || within === event.currentTarget);
    },
    onDragLeave: (event: DragEvent) => {
      if (!event.currentTarget.contains(event.relatedTarget as Node | null)) setOver(false);
    },
    onDrop: (event: DragEvent) => {
      if (!carriesFiles(event)) return;
      event.preventDefault();
      if (inner) event.stopPropagation();
      setOver(false);
      onFiles([...event.dataTransfer.files]);
    },
  };
  return { over, handlers };
}
