import {
  Composer,
  type Document,
  type DocumentOptions,
  LineCounter,
  type ParseOptions,
  Parser,
  type SchemaOptions,
  YAMLParseError,
} from 'yaml';
import { usualLimits } from '../contents/limits.ts';
import { BevelstoneError } from '../error/bevelstone-error.ts';
import { formatBytes } from '../text/bytes.ts';
import { maxNesting } from '../text/json.ts';
import { objectOf } from './fields.ts';

/** The mapping that a YAML file holds. @throws MANIFEST_INVALID, also for one that is too large or nested too deep. */
export function parseYaml(text: string, file: string, mostBytes = usualLimits.yaml): Readonly<Record<string, unknown>> {
  if (text.length > mostBytes) throw invalid(file, `it has more than ${formatBytes(mostBytes)} of YAML`);
  const lines = new LineCounter();
  try {
    const document = composeYaml(text, { lineCounter: lines });
    const [error] = document.errors;
    if (error !== undefined) throw error;
    // Aliases could make a small file huge.
    return objectOf(document.toJS({ maxAliasCount: 100 }));
  } catch (cause) {
    if (!(cause instanceof Error)) throw cause;
    const place = cause instanceof YAMLParseError ? lines.linePos(cause.pos[0]) : null;
    throw invalid(file, cause.message.split('\n')[0] ?? '', { cause, ...(place === null ? {} : { place }) });
  }
}

/**
 * The only document of a YAML text (YAML 1.2.2), with what is wrong with it among its errors. Nesting is counted while the text
 * is cut into tokens: composing takes stack for each level, and a full stack can end the whole program.
 * @throws SyntaxError for collections that are nested too deep.
 */
export function composeYaml(text: string, options: ParseOptions & DocumentOptions & SchemaOptions): Document.Parsed {
  const parser = new BoundedParser(options.lineCounter?.addNewLine);
  const composer = new Composer({ ...options, prettyErrors: false, logLevel: 'error' });
  const [first, second] = composer.compose(parser.parse(text), true, text.length);
  if (first === undefined) throw new Error('a composer that is forced to give a document gave none');
  if (second !== undefined)
    first.errors.push(
      new YAMLParseError([second.range[0], second.range[0]], 'MULTIPLE_DOCS', 'it has several documents'),
    );
  return first as Document.Parsed;
}

class BoundedParser extends Parser {
  override *next(lexeme: string) {
    yield* super.next(lexeme);
    if (this.stack.length > maxNesting) throw new SyntaxError(`collections are nested more than ${maxNesting} deep`);
  }
}

function invalid(
  file: string,
  why: string,
  { cause, place }: { readonly cause?: unknown; readonly place?: { readonly line: number; readonly col: number } } = {},
): BevelstoneError {
  return new BevelstoneError('MANIFEST_INVALID', {
    message: `${file} cannot be read`,
    why,
    fix: 'Correct the file and commit it',
    where: { file, ...(place === undefined ? {} : { line: place.line, column: place.col }) },
    ...(cause === undefined ? {} : { cause }),
  });
}
