import type { ReactNode } from 'react';
import { innerDrop, useFileDrop } from './use-file-drop.ts';

interface Props {
  readonly hint: string;
  readonly onFiles: (files: File[]) => void;
  readonly children: ReactNode;
  /** In another such area: what is dropped here is not that one's. */
  readonly inner?: boolean;
}

/** Takes files dropped anywhere in it. */
export function DropArea({ hint, onFiles, children, inner = false }: Props) {
  const { over, handlers } = useFileDrop(onFiles, inner);
  return (
    <div className={inner ? innerDrop : 'h-100'} {...handlers}>
      {children}
      {over && <div className="drop-over">{hint}</div>}
    </div>
  );
}
