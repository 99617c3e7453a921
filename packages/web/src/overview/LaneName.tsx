import { useState } from 'react';

interface Props {
  readonly name: string;
  readonly onName: (to: string) => void;
}

/** The name of a group or a room, typed where it stands. */
export function LaneName({ name, onName }: Props) {
  const [draft, setDraft] = useState<string | null>(null);
  const take = () => {
    const to = draft?.trim();
    if (to && to !== name) onName(to);
    setDraft(null);
  };
  return (
    <input
      className="name-input fw-semibold"
      style={{ width: `${Math.min(28, Math.max(6, (draft ?? name).length + 1))}ch` }}
      aria-label={`Name of ${name}`}
      maxLength={80}
      value={draft ?? name}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={take}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === 'Enter') event.currentTarget.blur();
        if (event.key === 'Escape') setDraft(null);
      }}
    />
  );
}
