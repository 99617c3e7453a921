import { addComparison } from './add-comparison.ts';
import { addPart } from './add-part.ts';
import { changeGroups } from './change-groups.ts';
import { changeMoves } from './change-moves.ts';
import { changeRooms } from './change-rooms.ts';
import { chooseDraft } from './choose-draft.ts';
import { dropRecording } from './drop-recording.ts';
import { movePart } from './move-part.ts';
import { putRecording } from './put-recording.ts';
import { removeComparison } from './remove-comparison.ts';
import { removePart } from './remove-part.ts';
import { setBed } from './set-bed.ts';
import { setDraft } from './set-draft.ts';
import { setGroups } from './set-groups.ts';
import { setImage } from './set-image.ts';
import { setMoves } from './set-moves.ts';
import { setPanLaw } from './set-pan-law.ts';
import { setPart } from './set-part.ts';
import { setPreparation } from './set-preparation.ts';
import { setRate } from './set-rate.ts';
import { setRooms } from './set-rooms.ts';
import { setSharedDrive } from './set-shared-drive.ts';
import { setStage } from './set-stage.ts';
import { setTake } from './set-take.ts';
import { setTakes } from './set-takes.ts';
import { setTempo } from './set-tempo.ts';
import { setTitle } from './set-title.ts';
import { setVoice } from './set-voice.ts';

/** Every kind of edit, by its name. A new one is a file and its row. */
export const editModules = {
  'set-title': setTitle,
  'set-pan-law': setPanLaw,
  'set-tempo': setTempo,
  'set-rate': setRate,
  'put-recording': putRecording,
  'drop-recording': dropRecording,
  'set-bed': setBed,
  'add-part': addPart,
  'remove-part': removePart,
  'move-part': movePart,
  'set-part': setPart,
  'set-image': setImage,
  'set-stage': setStage,
  'set-shared-drive': setSharedDrive,
  'set-preparation': setPreparation,
  'set-take': setTake,
  'set-takes': setTakes,
  'set-voice': setVoice,
  'set-draft': setDraft,
  'choose-draft': chooseDraft,
  'add-comparison': addComparison,
  'remove-comparison': removeComparison,
  'set-groups': setGroups,
  'set-moves': setMoves,
  'set-rooms': setRooms,
  'change-groups': changeGroups,
  'change-moves': changeMoves,
  'change-rooms': changeRooms,
} as const;
