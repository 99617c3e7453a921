import { useState, type DragEvent, type ReactNode } from 'react';

interface Props {
  readonly hint: string;
  readonly onFiles: (files: File[]) => void;
  readonly children: ReactNode;
}

/** Takes files dropped anywhere in it. */
export function DropArea({ hint, onFiles, children }: Props) {
  const [over, setOver] = useState(false);
  const carriesFiles = (event: DragEvent) => event.dataTransfer.types.includes('Files');
  return (
    <div
      className="h-100"
      onDragOver={(event) => {
        if (!carriesFiles(event)) return;
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => {
        if (!event.currentTarget.contains(event.relatedTarget as Node | null)) setOver(false);
      }}
      onDrop={(event) => {
        if (!carriesFiles(event)) return;
        event.preventDefault();
        setOver(false);
        onFiles([...event.dataTransfer.files]);
      }}
    >
      {children}
      {over && <div className="drop-over">{hint}</div>}
    </div>
  );
}
