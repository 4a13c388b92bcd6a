import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import type { Ask } from './command.ts';

/** How the question of a command is answered. */
export type AskSettings = {
  readonly yes: boolean;
  readonly isTerminal: boolean;
  readonly signal: AbortSignal;
  readonly show: (text: string) => void;
};

/**
 * Shows what is about to happen and asks once. `--yes` answers beforehand; without a terminal it is needed.
 * The asker throws CONFIRMATION_NEEDED when nobody can be asked, INTERRUPTED when the answer is no.
 */
export function makeAsk({ yes, isTerminal, signal, show }: AskSettings): Ask {
  return async ({ shown, question }) => {
    show(shown);
    if (yes) return;
    if (!isTerminal) {
      throw new BevelstoneError('CONFIRMATION_NEEDED', {
        message: `${question} Nobody is here to answer`,
        why: 'there is no terminal, and what follows leaves this machine',
        fix: 'Add --yes to go on without a question, or --dry-run to stop here',
      });
    }
    const { confirm } = await import('@inquirer/prompts');
    if (await confirm({ message: question, default: false }, { signal })) return;
    throw new BevelstoneError('INTERRUPTED', {
      message: 'Answered no',
      why: 'you were asked first',
      fix: 'Nothing was changed',
    });
  };
}
