import type { Problem } from '../problems';
import type { Entry } from './entry';
import { Planning } from './planned';
import { plannedMails, type PlannedMail } from './mail-plan';
import { plannedSends } from './send-plan';
import type { PlannedWrite } from './planned-write';
import { plannedWrites } from './write-plan';

/** What a save would do, and everything that stands in its way. */
export interface PlannedSave {
  writes: PlannedWrite[];
  sends: ReturnType<typeof plannedSends>;
  mails: PlannedMail[];
  problems: Problem[];
}

/** Plans the save of an entry: its own problems, and what does not fit of what is written besides or sent. */
export function planSave(entry: Entry): PlannedSave {
  const planning = new Planning(entry);
  const writes = plannedWrites(planning);
  const sends = plannedSends(planning);
  const mails = plannedMails(planning);
  return { writes, sends, mails, problems: [...entry.problems(), ...planning.problems] };
}
