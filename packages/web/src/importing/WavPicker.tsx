import type { Ref } from 'react';

interface Props {
  /** Asks for a file when it is clicked. */
  readonly ref: Ref<HTMLInputElement>;
  readonly label: string;
  readonly onFiles: (files: readonly File[]) => void;
}

/** Asks for a WAV file, unseen: a choice in a list clicks it. */
export function WavPicker({ ref, label, onFiles }: Props) {
  return (
    <input
      ref={ref}
      type="file"
      hidden
      accept=".wav,audio/wav"
      aria-label={label}
      onChange={(event) => {
        const files = [...(event.target.files ?? [])];
        event.target.value = '';
        if (files.length > 0) onFiles(files);
      }}
    />
  );
}
