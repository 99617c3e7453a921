import { wavFile } from '@pannet/core/formats/wav-write';
import type { Outcome } from '@pannet/core/outcome';
import { readMidiFile, type WrittenNotes } from '@pannet/core/performing/midi-file';
import { performedTake } from '@pannet/core/performing/performance';
import { answer, seldom } from '../workers/ask.ts';
import type { NotesRequest } from './notes-question.ts';

type Answer = Outcome<WrittenNotes> | readonly Uint8Array[];

answer<NotesRequest, Answer>(async (request, tell) => {
  if (request.kind === 'read') {
    const { file } = request;
    return readMidiFile(new Uint8Array(await file.arrayBuffer()), file.name);
  }
  const { line, tempo, instrument, takes, rateHz } = request;
  const told = seldom(tell);
  return takes.map((how, n) => {
    const tick = (share: number) => told((n + share) / takes.length);
    const sound = performedTake(line, tempo, instrument, how, rateHz, tick);
    return wavFile([sound], rateHz, '24');
  });
});
