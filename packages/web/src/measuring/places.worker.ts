import { crowdedAlong, PlacesAlong, type PlacedAlong } from '@pannet/core/comparing/places-along';
import { soundingIn } from '@pannet/core/comparing/sounding';
import { renderRoot } from '@pannet/core/rendering/offline';
import { planOfPart, planOfParts } from '../playback/prepared-song.ts';
import { RecordingReader } from '../playback/recording-reader.ts';
import { answer, seldom } from '../workers/ask.ts';
import type { MeasuredPlaces, PlacesJob } from './messages.ts';

const reader = new RecordingReader(64e6, 8);

/** Tells where each part and each room lies along a stretch of the song, one after the other, and what crowds a place. */
answer<PlacesJob, MeasuredPlaces>(async ({ song, from, to, splices }, tell) => {
  const tick = seldom(tell);
  const sounding = soundingIn(song);
  const items: MeasuredPlaces['items'][number][] = [];
  const along: PlacedAlong[] = [];
  let rateHz = 48_000;
  for (const [n, { id, name, kind, partIds, root, fedBy }] of sounding.entries()) {
    const plan =
      kind === 'part'
        ? await planOfPart(song, id, reader, splices)
        : await planOfParts(song, partIds, reader, splices);
    ({ rateHz } = plan);
    const places = new PlacesAlong(rateHz);
    for await (const block of renderRoot(plan, root, reader.load, from, to)) {
      places.add(block.left, block.right);
      const done = (block.frame + block.left.length - from) / (to - from);
      tick((n + done) / sounding.length);
    }
    items.push({ id, name, kind, fedBy, bands: places.end() });
    along.push({ id, name, fedBy, windows: places.windows });
  }
  return {
    items,
    crowded: crowdedAlong(along, from / rateHz),
    windows: Math.max(0, ...along.map(({ windows }) => windows.length)),
  };
});
