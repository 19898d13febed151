import type { DriftKind } from '$lib/core/entry/drift';
import { say, spoken } from '$lib/core/words/say';

/** Why something stored does not fit any more. */
export const driftWords: Record<DriftKind, string> = spoken(() => ({
  unreadable: say('no value of its column any more'),
  not_offered: say('not offered any more'),
  retired: say('an option that is not offered any more'),
  required: say('required, and empty'),
  check: say('refused by a check'),
  computed: say('would come out otherwise'),
  brought: say('changed where it comes from'),
}));
