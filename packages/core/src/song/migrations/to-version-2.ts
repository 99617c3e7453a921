/**
 * Format 2 gives voices a drift, a colour and a tone, tuners their mix, semitones and timbre, stages an opening, a low end, a
 * tilt and a flanks' fader, and parts a preparation and drafts. All of them start where they change nothing. The values
 * are written out, since the tables may move on.
 */
interface Saved {
  readonly [key: string]: unknown;
}

const each = (things: unknown, change: (thing: Saved) => Saved): Saved =>
  Object.fromEntries(
    Object.entries(things as Record<string, Saved>).map(([key, thing]) => [key, change(thing)]),
  );

function voice(saved: Saved): Saved {
  return {
    ...saved,
    tuner: {
      semitones: 0,
      mixPercent: 100,
      timbreSemitones: 0,
      ...(saved.tuner as Saved),
    },
    drift: { rangeMs: 0, rateHz: 0.4, seed: 1 },
    colour: { oddPercent: 0, evenPercent: 0 },
    tone: { lowCutHz: null, highCutHz: null, tiltDb: 0, bell: { hz: 1000, db: 0, q: 0.7 } },
  };
}

function image(saved: Saved): Saved {
  return {
    voices: (saved.voices as readonly Saved[]).map(voice),
    stage: {
      tiltDb: 0,
      flanksDb: 0,
      ...(saved.stage as Saved),
      opening: { thresholdDb: null, attackMs: 20, releaseMs: 300 },
      lowMono: { hz: null, kind: 'anchor' },
    },
  };
}

function part(saved: Saved): Saved {
  return {
    ...saved,
    preparation: {
      lowCutHz: null,
      bands: [
        { kind: 'low shelf', hz: 150, db: 0, q: 0.7 },
        { kind: 'bell', hz: 400, db: 0, q: 1 },
        { kind: 'high shelf', hz: 8000, db: 0, q: 0.7 },
      ],
      compressor: { thresholdDb: null, ratio: 3, attackMs: 10, releaseMs: 150, makeUpDb: 0 },
    },
    image: image(saved.image as Saved),
    drafts: {},
    draft: null,
  };
}

export function toVersion2(saved: Saved): Saved {
  return { ...saved, parts: each(saved.parts, part) };
}

/** An edit as the log of a song in format 1 keeps it: steps from before can still be taken back. */
export function editToVersion2(edit: Saved): Saved {
  switch (edit.kind) {
    case 'add-part':
      return { ...edit, part: part(edit.part as Saved) };
    case 'set-image':
      return { ...edit, image: image(edit.image as Saved) };
    case 'set-voice': {
      const changes = edit.changes as Saved;
      return 'tuner' in changes
        ? { ...edit, changes: { ...changes, tuner: voice(changes).tuner } }
        : edit;
    }
    default:
      return edit;
  }
}
