import { makingLoader } from '@pannet/core/derived/making';
import { Feeder } from './feeder.ts';
import type { FromFeeder, ToFeeder, Whereabouts } from './messages.ts';
import { RecordingReader } from './recording-reader.ts';

/** What waits for what was told meanwhile to be heard, and no longer: a timer would wait for some ms. */
const turns = new MessageChannel();
const waiting: (() => void)[] = [];
turns.port1.onmessage = () => waiting.shift()?.();

function later(run: () => void, ms: number): void {
  if (ms > 0) {
    setTimeout(run, ms);
    return;
  }
  waiting.push(run);
  turns.port2.postMessage(null);
}

const reader = new RecordingReader(96e6);
const feeder: Feeder = new Feeder({
  load: makingLoader(reader.load, () => feeder.rest()),
  post: null,
  failed: (sentence) => postMessage({ kind: 'failed', sentence } satisfies FromFeeder),
  now: () => performance.now(),
  later,
});

onmessage = ({ data }: MessageEvent<ToFeeder>) => {
  if (data.kind === 'sources') {
    reader.know(data.recordings);
    feeder.read(data.rateHz, data.added, data.dropped);
    return;
  }
  const { port } = data;
  feeder.connect((message, transfer) => port.postMessage(message, transfer));
  port.onmessage = (told: MessageEvent<Whereabouts>) => feeder.hear(told.data);
};
