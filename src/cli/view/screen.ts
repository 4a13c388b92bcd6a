import picocolors from 'picocolors';

/** Where a result is shown: how wide, in which characters and colours. */
export type Screen = {
  readonly columns: number;
  /** Whether a person reads it as it comes: text is then broken at the edge. */
  readonly isTerminal: boolean;
  readonly isUnicode: boolean;
  /** Whether the person asked for more than the summary. */
  readonly isVerbose: boolean;
  readonly colours: ReturnType<typeof picocolors.createColors>;
};

/** What a line says of something: done, nothing to do, a warning, a refusal. */
export type Mark = 'done' | 'nothing' | 'warning' | 'refused';

const marks: Readonly<Record<Mark, readonly [string, string]>> = {
  done: ['▪', '='],
  nothing: ['▫', '-'],
  warning: ['‼', '!'],
  refused: ['▓', '#'],
};

/** Describes an output stream; `NO_COLOR` and `FORCE_COLOR` decide over what the stream can. */
export function makeScreen(stream: NodeJS.WriteStream, env: NodeJS.ProcessEnv, isVerbose: boolean): Screen {
  const forced = env['FORCE_COLOR'] !== undefined && env['FORCE_COLOR'] !== '0';
  const refused = (env['NO_COLOR'] ?? '') !== '' || env['FORCE_COLOR'] === '0' || env['TERM'] === 'dumb';
  const isColoured = !refused && (forced || stream.isTTY === true);
  const locale = env['LC_ALL'] || env['LC_CTYPE'] || env['LANG'] || '';
  return {
    columns: Math.max(40, stream.columns ?? 80),
    isTerminal: stream.isTTY === true,
    isVerbose,
    isUnicode: /utf-?8/i.test(locale),
    colours: picocolors.createColors(isColoured),
  };
}

/** The sign of a mark, always to be followed by a word. */
export function sign(mark: Mark, screen: Screen): string {
  const text = signText(mark, screen);
  if (mark === 'refused') return screen.colours.red(text);
  return mark === 'done' ? screen.colours.cyan(text) : text;
}

/** The sign of a mark without colour, for cells of a table. */
export function signText(mark: Mark, { isUnicode }: Screen): string {
  return marks[mark][isUnicode ? 0 : 1];
}

/** Stands where there is no value. */
export function blank(screen: Screen): string {
  return screen.isUnicode ? '·' : '-';
}

/** Stands for what was left out of a text. */
export function ellipsis({ isUnicode }: Screen): string {
  return isUnicode ? '…' : '...';
}
