import { type X2jOptions, XMLParser, XMLValidator } from 'fast-xml-parser';
import { BevelstoneError } from '../error/bevelstone-error.ts';

/** Deeper than any manifest; what the parser does with an element costs stack. */
const maxNesting = 100;

/**
 * The elements of an XML text (XML 1.0, Fifth Edition) by name. It may have no document type: entities of one could name files of
 * this machine, or multiply until memory is full, and no manifest needs them.
 * @throws MANIFEST_INVALID with the place, for anything that is not well-formed, has a document type, or is nested too deep.
 */
export function parseXml(text: string, file: string, options: X2jOptions = {}): Readonly<Record<string, unknown>> {
  const plain = text.replace(/^\ufeff/, '');
  const type = documentType(plain);
  if (type !== null) throw invalid(file, 'it has a document type, which could pull in other files', { place: type });
  try {
    const valid = XMLValidator.validate(plain);
    if (valid !== true) throw invalid(file, valid.err.msg, { place: { line: valid.err.line, column: valid.err.col } });
    const all = { parseTagValue: false, processEntities: false, ...options, maxNestedTags: maxNesting };
    return new XMLParser(all).parse(plain) as Record<string, unknown>;
  } catch (error) {
    if (error instanceof BevelstoneError || !(error instanceof Error)) throw error;
    throw invalid(file, error.message.split('\n')[0] ?? 'it is not well-formed', { cause: error });
  }
}

/** Where a document type stands, outside of comments and character data; null for none. */
function documentType(text: string): Position | null {
  if (!/<!doctype/i.test(text)) return null;
  for (let at = text.indexOf('<'); at !== -1; at = text.indexOf('<', at + 1)) {
    const end = text.startsWith('<!--', at) ? '-->' : text.startsWith('<![CDATA[', at) ? ']]>' : null;
    if (end !== null) {
      const behind = text.indexOf(end, at);
      if (behind === -1) return null;
      at = behind;
    } else if (/^<!doctype/i.test(text.slice(at, at + 9))) {
      const before = text.slice(0, at).split('\n');
      return { line: before.length, column: (before.at(-1)?.length ?? 0) + 1 };
    }
  }
  return null;
}

type Position = { readonly line: number; readonly column: number };

function invalid(
  file: string,
  why: string,
  { place = null, cause }: { readonly place?: Position | null; readonly cause?: unknown },
): BevelstoneError {
  return new BevelstoneError('MANIFEST_INVALID', {
    message: `${file} cannot be read`,
    why,
    fix: 'Correct the file and commit it',
    where: { file, ...place },
    ...(cause === undefined ? {} : { cause }),
  });
}
