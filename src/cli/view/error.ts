import { BevelstoneError, type Place, type Problem } from '../../core/error/bevelstone-error.ts';
import { type ErrorCode, errorCatalog } from '../../core/error/catalog.ts';
import { cleanLines, cleanText } from '../../core/text/clean.ts';
import { type Screen, sign } from './screen.ts';
import { beside } from './wrap.ts';

/** What a person reads when something went wrong: what, why, where, and what to do. */
export function renderError(error: BevelstoneError, screen: Screen): string {
  const problems =
    error.problems.length === 0
      ? []
      : ['', ...error.problems.flatMap((problem) => renderProblem(problem, error, screen))];
  return renderParts(error, screen, problems);
}

/** The same in short, below a result that shows the problems already. */
export function renderErrorBelow(error: BevelstoneError, screen: Screen): string {
  return renderParts(error, screen, []);
}

function renderParts(error: BevelstoneError, screen: Screen, problems: readonly string[]): string {
  const { colours } = screen;
  const head = `${sign('refused', screen)} ${colours.bold(colours.red(wordFor(error)))} `;
  const lines = [beside(head, `${cleanLines(error.message)} ${colours.dim(`(${error.code})`)}`, screen)];
  if (problems.length > 0) {
    lines.push(...problems);
  } else {
    lines.push(
      labelled('why', error.why, screen),
      ...(error.where === null ? [] : [labelled('where', renderPlace(error.where), screen)]),
    );
  }
  lines.push(labelled('fix', error.fix, screen));
  return lines.join('\n');
}

/** A fault of our own, with its stack. */
export function renderFault(error: unknown, screen: Screen): string {
  const stack = error instanceof Error ? (error.stack ?? error.message) : String(error);
  const head = `${sign('refused', screen)} ${screen.colours.bold(screen.colours.red('fault:'))} a fault of Bevelstone itself (INTERNAL)`;
  const fix = 'Please report this with the lines above; nothing half-written was left in place';
  return `${head}\n${cleanLines(stack)}\n${labelled('fix', fix, screen)}`;
}

/** The `error` of the JSON envelope. */
export function errorJson(error: unknown): Record<string, unknown> {
  if (!(error instanceof BevelstoneError)) {
    const message = error instanceof Error ? error.message : String(error);
    return {
      code: 'INTERNAL',
      message,
      why: errorCatalog.INTERNAL.summary,
      fix: 'Report this',
      where: null,
      problems: [],
      resume: null,
    };
  }
  const { code, message, why, fix, where, problems, resume } = error;
  return { code, message, why, fix, where, problems, resume };
}

/** Where the exit code alone would say the wrong thing. */
const ownWords: Partial<Readonly<Record<ErrorCode, string>>> = {
  TARGET_UNREACHABLE: 'not deployed:',
  TARGET_REFUSED: 'not deployed:',
  DEPLOY_NO_ARTIFACT: 'not deployed:',
  DEPLOY_FAILED: 'deployment failed:',
};

function wordFor({ code }: BevelstoneError): string {
  const words: Readonly<Record<number, string>> = {
    2: 'not started:',
    3: 'refused:',
    4: 'nothing to do:',
    5: 'not delivered:',
    7: 'build failed:',
  };
  return ownWords[code] ?? words[errorCatalog[code].exitCode] ?? 'stopped:';
}

/** A problem and its remedy; its code only where it says more than that of the whole. */
function renderProblem({ message, fix, where, code }: Problem, whole: BevelstoneError, screen: Screen): string[] {
  const place = where === null ? '' : `${screen.colours.bold(renderPlace(where))}  `;
  const suffix = code === whole.code ? '' : ` ${screen.colours.dim(`(${code})`)}`;
  return [
    beside('  ', `${place}${cleanLines(message)}${suffix}`, screen),
    ...(fix === whole.fix ? [] : [beside('    ', cleanLines(fix), screen)]),
  ];
}

function renderPlace({ file, line, column }: Place): string {
  return [cleanText(file), line, column].filter((part) => part !== undefined).join(':');
}

function labelled(label: string, text: string, screen: Screen): string {
  return beside(`  ${label.padEnd(7)}`, cleanLines(text), screen);
}
