import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { cleanText } from '../core/text/clean.ts';
import type { Ask } from './command.ts';
import type { Host } from './host.ts';
import { type Screen, signText } from './view/screen.ts';
import { beside } from './view/wrap.ts';

/** How the question of a command is answered. */
export type AskSettings = {
  readonly yes: boolean;
  readonly isTerminal: boolean;
  readonly signal: AbortSignal;
  readonly show: (text: string) => void;
  readonly screen: Screen;
};

/** Room behind a question for ` (y/N) ` and an answer. */
const answerWidth = 8;

/** A question and its mark, broken between words: the prompt itself would break inside them. */
function questionFor(question: string, screen: Screen) {
  const mark = signText('nothing', screen);
  const message = beside('', cleanText(question), {
    ...screen,
    columns: screen.columns - mark.length - 1 - answerWidth,
  });
  return { message, theme: { prefix: screen.colours.cyan(mark) } };
}

/** Asks for a secret without showing it; without a terminal takes it from standard input where that is allowed. */
export function makeAskSecret({
  isTerminal,
  signal,
  screen,
  stdin,
}: Pick<AskSettings, 'isTerminal' | 'signal' | 'screen'> & Pick<Host, 'stdin'>) {
  return async (question: string, orInput?: 'or-input'): Promise<string | null> => {
    if (!isTerminal) return orInput === undefined ? null : readInput(stdin);
    const { default: password } = await import('@inquirer/password');
    const secret = (await password({ ...questionFor(question, screen), mask: true }, { signal })).trim();
    return secret === '' ? null : secret;
  };
}

/** Asks for a text; an empty answer is the usual one. */
export function makeAskText({ signal, screen }: Pick<AskSettings, 'signal' | 'screen'>) {
  return async (question: string, usual: string): Promise<string> => {
    const { default: input } = await import('@inquirer/input');
    return (await input({ ...questionFor(question, screen), default: usual }, { signal })).trim();
  };
}

/** Asks whether a credential may be sent somewhere. The answer is no unless the person says yes. */
export function makeAskTrust({ signal, screen }: Pick<AskSettings, 'signal' | 'screen'>) {
  return async (question: string): Promise<boolean> => {
    const { default: confirm } = await import('@inquirer/confirm');
    return confirm({ ...questionFor(question, screen), default: false }, { signal });
  };
}

/** What was piped in, without the line end; at most 64 kB of it. */
async function readInput(stdin: Host['stdin']): Promise<string | null> {
  if (stdin.isTTY === true) return null;
  let text = '';
  for await (const chunk of stdin) {
    text += String(chunk);
    if (text.length > 65_536) break;
  }
  return text.trim() === '' ? null : text.trim();
}

/**
 * Shows what is about to happen and asks once. `--yes` answers beforehand; without a terminal it is needed.
 * The asker throws CONFIRMATION_NEEDED without a terminal, INTERRUPTED when the answer is no.
 */
export function makeAsk({ yes, isTerminal, signal, show, screen }: AskSettings): Ask {
  return async ({ shown, question }) => {
    if (shown !== '') show(shown);
    if (yes || question === null) return;
    if (!isTerminal) {
      throw new BevelstoneError('CONFIRMATION_NEEDED', {
        message: `not confirmed: ${question}`,
        why: 'there is no terminal to ask on, and the next step cannot be undone',
        fix: 'Add --yes to continue without asking; --dry-run, where the command has it, stops here',
      });
    }
    const { default: confirm } = await import('@inquirer/confirm');
    if (await confirm({ ...questionFor(question, screen), default: false }, { signal })) return;
    throw new BevelstoneError('INTERRUPTED', {
      message: 'not confirmed',
      why: 'the question was answered with no',
      fix: 'Nothing was changed',
    });
  };
}
