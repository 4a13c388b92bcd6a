import { RE2JS, RE2JSException } from 're2js';

/** A regular expression whose matching takes time in proportion to the text, whatever it is. */
export type LinearPattern = {
  readonly test: (text: string) => boolean;
  /** The text without the first match. */
  readonly withoutFirst: (text: string) => string;
  /** The text with every match replaced by another text, taken as it is. */
  readonly replaceAll: (text: string, by: string) => string;
};

const maxPatternLength = 1000;

/**
 * Compiles a pattern that a maintainer wrote (syntax of RE2, which has no look-around and no back references).
 * @param isMultiline whether `^` and `$` stand for the ends of lines.
 * @throws RangeError with the reason when it is not such a pattern.
 */
export function compilePattern(source: string, isMultiline = false): LinearPattern {
  if (source.length > maxPatternLength) throw new RangeError(`it has more than ${maxPatternLength} characters`);
  try {
    const compiled = RE2JS.compile(RE2JS.translateRegExp(source), isMultiline ? RE2JS.MULTILINE : 0);
    return {
      test: (text) => compiled.matcher(text).find(),
      withoutFirst: (text) => compiled.matcher(text).replaceFirst(''),
      replaceAll: (text, by) => compiled.matcher(text).replaceAll(RE2JS.quoteReplacement(by)),
    };
  } catch (error) {
    if (error instanceof RE2JSException) throw new RangeError(reasonFor(error.message));
    throw error;
  }
}

function reasonFor(message: string): string {
  const reason = message.replace(/^error parsing regexp: /, '');
  return /\(\?[=!<]/.test(reason) ? `${reason}; look-ahead and look-behind are not supported` : reason;
}
