import { Plus } from '@phosphor-icons/react';
import { useRef } from 'react';
import Button from 'react-bootstrap/Button';

interface Props {
  readonly onFiles: (files: File[]) => void;
  /** The one that is pressed first of all. */
  readonly main?: boolean;
  readonly label?: string;
}

/** Asks for audio files, as many as are wanted. */
export function FilesButton({ onFiles, main = false, label }: Props) {
  const files = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button
        size={main ? undefined : 'sm'}
        variant={main ? 'primary' : 'outline-primary'}
        onClick={() => files.current?.click()}
      >
        <Plus aria-hidden /> {label ?? (main ? 'Choose files' : 'Add files')}
      </Button>
      <input
        ref={files}
        type="file"
        accept="audio/*,.wav,.flac,.mp3,.ogg,.aif,.aiff,.aifc,.mid,.midi"
        multiple
        hidden
        aria-label={label ? `Files: ${label.toLowerCase()}` : 'Files to import'}
        onChange={(event) => {
          onFiles([...(event.target.files ?? [])]);
          event.target.value = '';
        }}
      />
    </>
  );
}
