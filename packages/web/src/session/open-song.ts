import { areMirrorImages, type Pair } from '@pannet/core/image/pairs';
import { db, dbToGain } from '@pannet/core/quantities/units';
import type { Monitoring } from '@pannet/core/rendering/monitor';
import { draftEdits, keptDraft } from '@pannet/core/song/draft-moves';
import type { Edit } from '@pannet/core/song/edits/edit';
import { songFrames, type Part, type Song } from '@pannet/core/song/song';
import { createStore, type StoreApi } from 'zustand/vanilla';
import { Analyst } from '../measuring/analyst.ts';
import { BlindSession } from '../comparing/blind-session.ts';
import { Comparing } from '../comparing/comparing.ts';
import { heardAsMoved, levelsMovedBy, newestEdits } from '../comparing/levels-moved.ts';
import { say } from '../controls/notices.ts';
import { Audition, type Trial } from '../measuring/audition.ts';
import { Mender } from '../measuring/mender.ts';
import { Playback } from '../playback/playback.ts';
import type { SongSession } from '../sync/song-session.ts';
import { wholeView, type TimeView } from '../waves/time-view.ts';
import { Waves } from '../waves/waves.ts';
import { Writing } from './writing.ts';

export interface Selection {
  /** The part that is looked at, and any others that a recipe or an export goes to as well. */
  readonly partId: string | null;
  readonly partIds: readonly string[];
  readonly voiceId: string | null;
  /** Voices that are edited together with it. */
  readonly voiceIds: readonly string[];
  /** Voices of a part that are edited as mirror images of each other, until they are let go. */
  readonly pairs: Readonly<Record<string, readonly Pair[]>>;
  /** Whether both voices of a pair get the same delay, too. */
  readonly delaysAlike: boolean;
}

/** A song that is open in this window: its document, its sound, its figures, and what is selected. */
export class OpenSong {
  readonly session: SongSession;
  readonly playback = new Playback();
  readonly analyst = new Analyst((song, partIds) => this.playback.wholeSplices(song, partIds));
  readonly comparing = new Comparing(this.analyst);
  readonly audition: Audition;
  readonly mender: Mender;
  readonly blind: BlindSession;
  readonly writing: Writing;
  readonly selection: StoreApi<Selection>;
  readonly waves = new Waves();
  /** The stretch of the song that is drawn over time, null for all of it; and whether rulers go by bars. */
  readonly view = createStore<{ readonly view: TimeView | null; readonly bars: boolean }>(() => ({
    view: null,
    bars: false,
  }));
  /** The stretch that is drawn, as it is: all of the song is a stretch, too, and none reaches beyond its end. */
  readonly timeView: StoreApi<TimeView>;
  #heard: Song | null = null;
  readonly #ends: (() => void)[] = [];

  /** @param addressed the part that the address names; the first one if there is no such part */
  constructor(session: SongSession, addressed: string | undefined) {
    this.session = session;
    this.audition = new Audition(session, this.playback);
    this.mender = new Mender(session, this.playback, this.audition);
    this.blind = new BlindSession(session, this.playback, this.comparing);
    this.writing = new Writing(
      session,
      this.playback,
      () => this.audition.store.getState().trial !== null,
    );
    const { song } = session.store.getState();
    const first =
      addressed && Object.hasOwn(song.parts, addressed) ? addressed : firstToLookAt(song);
    this.selection = createStore<Selection>(() => ({
      partId: first,
      partIds: first ? [first] : [],
      voiceId: null,
      voiceIds: [],
      pairs: {},
      delaysAlike: false,
    }));
    this.timeView = createStore<TimeView>(() => wholeView(songFrames(song)));
    this.#ends.push(
      this.view.subscribe(() => {
        this.#view();
        this.analyst.rest();
      }),
      session.store.subscribe((state, before) => {
        if (state.shown !== before.shown) this.#view();
        if (state.shown !== before.shown) this.#hear(this.writing.heard ?? state.shown);
        if (state.song === before.song) return;
        this.#follow(state.song);
        this.#letGo(newestEdits(state, before));
      }),
      this.selection.subscribe((selection, before) => {
        if (selection.partId === before.partId) return;
        this.audition.drop();
        this.mender.stopLooking();
        // Voices of another part bear the same ids.
        if (selection.voiceIds.length > 0) this.selection.setState({ voiceIds: [] });
        this.#follow(session.store.getState().song);
      }),
      this.playback.store.subscribe((state, before) => {
        if (state.looping !== before.looping || state.loop !== before.loop) this.#measure();
        this.analyst.setPlaying(state.state !== 'stopped');
        this.analyst.setWaiting(state.state === 'loading' || state.tuning);
      }),
      this.analyst.store.subscribe(() => this.#match()),
      this.comparing.store.subscribe(() => this.#match()),
      this.audition.store.subscribe((state, before) => {
        if (isHeard(state.trial) || isHeard(before.trial)) this.#measure();
        this.#match();
      }),
      this.blind.store.subscribe(() => this.#match()),
    );
    // For the console and for the tests: what is open, and what plays.
    Object.assign(globalThis, { pannet: this });
    this.playback.setSong(session.store.getState().song);
    this.#follow(session.store.getState().song);
  }

  #view(): void {
    const { view } = this.view.getState();
    const whole = wholeView(songFrames(this.session.store.getState().shown));
    const next = view && view.to <= whole.to ? view : whole;
    const { from, to } = this.timeView.getState();
    if (next.from !== from || next.to !== to) this.timeView.setState(next, true);
  }

  #hear(song: Song): void {
    if (song === this.#heard) return;
    this.#heard = song;
    this.playback.setSong(song);
  }

  /** Selection and figures go with the song. */
  #follow(song: Song): void {
    const { partId, partIds } = this.selection.getState();
    const kept = partIds.filter((id) => song.parts[id]);
    if (partId === null || !song.parts[partId]) {
      const next = kept[0] ?? song.partOrder[0] ?? null;
      this.selection.setState({
        partId: next,
        partIds: next ? [next] : [],
        voiceId: null,
        voiceIds: [],
      });
    } else if (kept.length !== partIds.length) {
      this.selection.setState({ partIds: kept });
    }
    this.playback.watch(this.selection.getState().partId);
    this.comparing.follow(song);
    this.#measure();
    this.#match();
  }

  /** What is tried is what is heard, so it is what figures are of. */
  #measure(): void {
    const { looping, loop } = this.playback.store.getState();
    const { song, shown } = this.session.store.getState();
    this.analyst.update(
      isHeard(this.audition.store.getState().trial) ? shown : song,
      this.selection.getState().partId,
      looping ? loop : null,
    );
  }

  /** What is compared is heard at the level that is held; what is tried has its own. */
  #match(): void {
    const { monitoring } = this.playback.store.getState();
    const { parts } = this.session.store.getState().song;
    const { held } = this.comparing.store.getState();
    const tried = [
      this.audition.store.getState().trial?.partId,
      this.blind.store.getState().blind?.partId,
    ];
    const plain: Record<string, number> = {};
    const image: Record<string, number> = {};
    for (const part of Object.values(parts)) {
      const { id } = part;
      if (tried.includes(id)) {
        if (id in monitoring.image) image[id] = monitoring.image[id];
        continue;
      }
      if (id in monitoring.plain) plain[id] = this.#plainGain(part) ?? monitoring.plain[id];
      if (!(id in held)) continue;
      const matching = this.comparing.matching(part);
      image[id] = matching
        ? dbToGain(db(matching.gainsDb[matching.shown]))
        : (monitoring.image[id] ?? 1);
    }
    const said = ({ plain, image }: Pick<Monitoring, 'plain' | 'image'>) =>
      JSON.stringify([Object.entries(plain).sort(), Object.entries(image).sort()]);
    if (said({ plain, image }) !== said(monitoring)) this.playback.listen({ plain, image });
    this.comparing.catchUp(this.session.store.getState().song);
  }

  /** A level that is moved is heard as moved: what was held of the part while states were compared is let go. */
  #letGo(edits: readonly Edit[]): void {
    const { held } = this.comparing.store.getState();
    const moved = levelsMovedBy(edits).filter((partId) => partId in held);
    for (const partId of new Set(moved)) {
      this.comparing.release(partId);
      const { name } = this.session.store.getState().song.parts[partId];
      say(heardAsMoved(name));
    }
  }

  /** Says whether there is any part. */
  selectAllParts(): boolean {
    const { partOrder } = this.session.store.getState().song;
    this.selection.setState({ partIds: partOrder });
    return partOrder.length > 0;
  }

  /**
   * Selects a voice, and with it the one that it is a pair with.
   * @param together whether the voices that were selected stay selected with it
   */
  selectVoice(voiceId: string | null, together = false): void {
    const { partId, voiceIds } = this.selection.getState();
    if (voiceId === null) this.selection.setState({ voiceId, voiceIds: [] });
    else if (!together) {
      const pair = partId === null ? null : this.pairOf(partId, voiceId);
      this.selection.setState({ voiceId, voiceIds: pair ?? [voiceId] });
    } else if (voiceIds.includes(voiceId))
      this.selection.setState({ voiceIds: voiceIds.filter((id) => id !== voiceId) });
    else this.selection.setState({ voiceId, voiceIds: [...voiceIds, voiceId] });
  }

  /** The pair that a voice belongs to, as long as both are there and are mirror images: another image has other voices by these ids. */
  pairOf(partId: string, voiceId: string): Pair | null {
    const pairs = this.selection.getState().pairs[partId] as readonly Pair[] | undefined;
    const pair = pairs?.find((one) => one.includes(voiceId));
    if (!pair) return null;
    const voices = this.keptPart(partId)?.image.voices ?? [];
    const [left, right] = pair.map((id) => voices.find((voice) => voice.id === id));
    return left && right && areMirrorImages(left, right) ? pair : null;
  }

  /** From now on both are edited as mirror images. */
  pairUp(partId: string, pair: Pair): void {
    const { pairs } = this.selection.getState();
    const others = (pairs[partId] as readonly Pair[] | undefined)?.filter(
      (one) => !one.some((id) => pair.includes(id)),
    );
    this.selection.setState({ pairs: { ...pairs, [partId]: [...(others ?? []), pair] } });
    this.selection.setState({ voiceId: pair[0], voiceIds: pair });
  }

  /** Lets a pair go: its voices are edited each for itself. */
  partUp(partId: string, pair: Pair): void {
    const { pairs, voiceId } = this.selection.getState();
    this.selection.setState({
      pairs: { ...pairs, [partId]: pairs[partId].filter((one) => one !== pair) },
      voiceIds: voiceId === null ? [] : [voiceId],
    });
  }

  #plainGain(part: Part): number | null {
    const matching = this.comparing.matching(part);
    return matching && dbToGain(db(matching.gainsDb.plain));
  }

  /** Turns parts from image to plain or back, together; the selected ones if none are named. The first one decides. */
  togglePlain(ids: readonly string[] = this.#selectedIds()): void {
    if (ids.length === 0) return;
    // Plain is set against the image: what is only tried on a part is dropped first.
    const tried = this.audition.store.getState().trial?.partId;
    if (tried !== undefined && ids.includes(tried)) this.audition.drop();
    const { parts } = this.session.store.getState().song;
    const { plain } = this.playback.store.getState().monitoring;
    const toPlain = plain[ids[0]] === undefined;
    for (const id of ids) this.comparing.hold(parts[id]);
    const others = Object.entries(plain).filter(([id]) => !ids.includes(id));
    const these = toPlain ? ids.map((id) => [id, this.#plainGain(parts[id]) ?? 1] as const) : [];
    this.playback.listen({ plain: Object.fromEntries([...others, ...these]) });
  }

  #selectedIds(): readonly string[] {
    const { partId, partIds } = this.selection.getState();
    return partId === null ? [] : [partId, ...partIds.filter((id) => id !== partId)];
  }

  /** Keeps the image of the looked-at part under a number key, or takes up what was kept there; one step each. */
  keepDraft(number: string): void {
    const part = this.#selectedPart();
    if (!part) return;
    this.do(`${part.name}: keep draft ${number}`, [
      keptDraft(this.session.store.getState().song, part, number),
      { kind: 'choose-draft', partId: part.id, number },
    ]);
  }

  /** An empty number keeps what is there. */
  recallDraft(number: string): void {
    const part = this.#selectedPart();
    if (!part) return;
    if (!Object.hasOwn(part.drafts, number)) {
      this.keepDraft(number);
      return;
    }
    this.comparing.hold(part);
    this.do(`${part.name}: draft ${number}`, [
      ...draftEdits(this.session.store.getState().song, part, number, () => crypto.randomUUID()),
      { kind: 'choose-draft', partId: part.id, number },
    ]);
    this.selectVoice(null);
  }

  /** A part as it is kept, whatever is being tried or dragged: what steps of work are made of. */
  keptPart(partId: string): Part | null {
    const { parts } = this.session.store.getState().song;
    return Object.hasOwn(parts, partId) ? parts[partId] : null;
  }

  /**
   * Changes that were made to what is shown, as changes of what is kept: while something is tried on a part, a group of values
   * takes over only what was changed in it, and not what is tried beside it.
   */
  onKept<Thing extends object>(
    partId: string,
    shown: Thing,
    kept: Thing,
    changes: Partial<Thing>,
  ): Partial<Thing> {
    const { trial } = this.audition.store.getState();
    if (trial?.partId !== partId || trial.matchedDb === null) return changes;
    const entries = Object.entries(changes).map(([key, value]) => {
      const before = shown[key as keyof Thing];
      const own = kept[key as keyof Thing];
      // What is not there on one side has no values of which some could be taken over.
      if ([value, before, own].some((one) => typeof one !== 'object' || one === null))
        return [key, value];
      const differing = Object.entries(value as object).filter(
        ([inner, now]) => (before as Record<string, unknown>)[inner] !== now,
      );
      return [key, { ...own, ...Object.fromEntries(differing) }];
    });
    return Object.fromEntries(entries) as Partial<Thing>;
  }

  #selectedPart(): Part | null {
    const { partId } = this.selection.getState();
    return (partId !== null && this.session.store.getState().song.parts[partId]) || null;
  }

  /** One step of work; a refusal is said and changes nothing. */
  do(name: string, edits: readonly Edit[]): boolean {
    if (this.writing.done(edits)) return true;
    const done = this.session.do(name, edits);
    if (!done.ok) say(done.error.sentence);
    return done.ok;
  }

  preview(edits: readonly Edit[]): void {
    this.#letGo(edits);
    if (!this.writing.preview(edits)) this.session.preview(edits);
  }

  /** Is called when the song is closed: what goes on for it ends then. */
  onClose(end: () => void): void {
    this.#ends.push(end);
  }

  close(): void {
    for (const end of this.#ends) end();
    this.writing.close();
    this.mender.close();
    this.audition.close();
    this.session.close();
    this.playback.close();
    this.analyst.close();
    this.waves.close();
  }
}

/** The first part that is wide already shows what this is about; where none is, the first one. */
function firstToLookAt({ partOrder, parts }: Song): string | null {
  return partOrder.find((id) => parts[id].image.voices.length > 1) ?? partOrder.at(0) ?? null;
}

/** Whether something is tried, and its loudness is matched. */
function isHeard(trial: Trial | null): boolean {
  return trial !== null && trial.matchedDb !== null;
}
