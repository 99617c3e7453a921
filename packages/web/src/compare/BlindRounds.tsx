import { blindSentence } from '@pannet/core/comparing/blind';
import type { Comparison, Part } from '@pannet/core/song/song';
import { Trash } from '@phosphor-icons/react';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useStore } from 'zustand';
import { useOpenSong, useSong } from '../session/use-open-song.ts';
import { BlindDialog } from './BlindDialog.tsx';
import { nameOfState, statesOf } from '../comparing/states.ts';

/** Two states without their names, as many rounds as wished; what came of it is kept in the song. */
export function BlindRounds({ part }: { readonly part: Part }) {
  const open = useOpenSong();
  const song = useSong();
  const blind = useStore(open.blind.store, (state) => state.blind);
  const states = statesOf(song, part);
  const [first, setFirst] = useState<string | null>(null);
  const [second, setSecond] = useState<string | null>(null);
  const a = first !== null && states.includes(first) ? first : (states[1] ?? 'plain');
  const rest = states.filter((state) => state !== a);
  const b = second !== null && rest.includes(second) ? second : (rest.at(-1) ?? 'plain');
  const results = song.comparisons.filter(({ partId }) => partId === part.id).toReversed();
  const choice = (
    label: string,
    chosen: string,
    among: readonly string[],
    set: (s: string) => void,
  ) => (
    <select
      className="plain-select"
      aria-label={label}
      value={chosen}
      onChange={(event) => set(event.target.value)}
    >
      {among.map((state) => (
        <option key={state} value={state}>
          {nameOfState(state)}
        </option>
      ))}
    </select>
  );
  return (
    <section className="blind-rounds" aria-label="Blind comparison">
      <h2 className="heading">Blind</h2>
      <div className="d-flex align-items-center gap-2 my-1 flex-wrap">
        {choice('First', a, states, setFirst)} against {choice('Second', b, rest, setSecond)}
        <Button
          size="sm"
          onClick={() =>
            open.blind.begin(part, a, b, crypto.getRandomValues(new Uint32Array(1))[0])
          }
        >
          Compare blind …
        </Button>
        <span className="quiet small">
          Names hidden, order shuffled each round, both equally loud.
        </span>
      </div>
      {results.map((comparison) => (
        <Result key={comparison.id} comparison={comparison} />
      ))}
      {results.length === 0 && (
        <p className="quiet small m-0">Nothing of this part was compared blind yet.</p>
      )}
      {blind && blind.partId === part.id && <BlindDialog part={part} blind={blind} />}
    </section>
  );
}

function Result({ comparison }: { readonly comparison: Comparison }) {
  const open = useOpenSong();
  const { id, at, first, second, rounds, firstChosen } = comparison;
  return (
    <div className="blind-result" data-testid="blind-result">
      <span className="quiet small">
        {new Date(at).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' })}
      </span>
      <span>
        {nameOfState(first)} against {nameOfState(second)}:{' '}
        {blindSentence(nameOfState(first), nameOfState(second), rounds, firstChosen)}
      </span>
      <Button
        className="btn-tool"
        variant="light"
        aria-label="Remove this comparison"
        onClick={() => open.do('remove a comparison', [{ kind: 'remove-comparison', id }])}
      >
        <Trash />
      </Button>
    </div>
  );
}
