import {
  Composer,
  type Document,
  type DocumentOptions,
  type ParseOptions,
  Parser,
  type SchemaOptions,
  YAMLParseError,
} from 'yaml';
import { maxNesting } from './json.ts';

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
