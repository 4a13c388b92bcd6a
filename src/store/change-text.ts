import { randomInt } from 'node:crypto';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { pauseFor } from '../world/poll.ts';
import type { TaggedText, Written } from './store.ts';

/** A text that others may change too, and what is to be done with it. */
export type TextChange = {
  /** Names it in an error. */
  readonly what: string;
  readonly read: () => Promise<TaggedText>;
  readonly write: (text: string, before: TaggedText) => Promise<Written>;
  /** The new text, from what is there; null to leave it. */
  readonly change: (before: string | null) => string | null;
  /** Whether it cannot be changed by others meanwhile, so that it need not be read again. */
  readonly isAlone?: boolean;
  /** Sees to what is made of the text; called again as long as others change it meanwhile. */
  readonly follow?: (text: string) => Promise<void>;
};

/** How often an index is read and written when others are quicker each time. */
const tries = 30;

/**
 * Reads a text, changes it, and writes it on the condition that it is still the one that was read; then reads it back, so that
 * what follows it is made of the text that is there. Where the store knows no conditions, the reading back decides.
 * @returns whether anything was changed, and the text that is there now; null for none.
 * @throws DESTINATION_BUSY when others were quicker every time.
 */
export async function changeText({
  what,
  read,
  write,
  change,
  isAlone = false,
  follow = async () => {},
}: TextChange): Promise<{ readonly isChanged: boolean; readonly text: string | null }> {
  let isChanged = false;
  /** The text that follow was last called with. */
  let followed: string | null = null;
  for (let attempt = 0; attempt < tries; attempt++) {
    const before = await read();
    const wanted = change(before.text);
    if (wanted === null || wanted === before.text) {
      if (before.text === null || followed === before.text) return { isChanged, text: before.text };
      // What follows a change may be missing, of a run that was killed or of one that was quicker.
      followed = before.text;
      await follow(before.text);
      if (isAlone) return { isChanged, text: before.text };
      continue;
    }
    const written = await write(wanted, before);
    if (written === 'changed-meanwhile') {
      await pauseFor(randomInt(5, 40) * Math.min(attempt + 1, 5));
      continue;
    }
    isChanged = true;
    followed = wanted;
    await follow(wanted);
    if (isAlone) return { isChanged, text: wanted };
    // Whoever read before this write has written by then, and what they did not know of is written again.
    if (written === 'unconditional') await pauseFor(randomInt(300, 700));
  }
  throw new BevelstoneError('DESTINATION_BUSY', {
    message: `cannot update ${what}`,
    why: `others wrote to it during each of ${tries} attempts`,
    fix: 'Run the same command again; finished uploads are kept',
  });
}
