import { parse } from 'smol-toml';
import { BevelstoneError } from '../error/bevelstone-error.ts';

/** @throws MANIFEST_INVALID with the place that the parser names. */
export function parseToml(text: string, file: string): Readonly<Record<string, unknown>> {
  try {
    return parse(text) as Record<string, unknown>;
  } catch (cause) {
    const { line, column, message } = cause as { line?: number; column?: number; message: string };
    throw new BevelstoneError('MANIFEST_INVALID', {
      message: `${file} cannot be read`,
      why: message.split('\n')[0] ?? 'it is no TOML',
      fix: 'Correct the file and commit it',
      where: { file, ...(line === undefined ? {} : { line }), ...(column === undefined ? {} : { column }) },
      cause,
    });
  }
}

/**
 * Changes lines of some tables of a TOML document and leaves everything else byte for byte.
 * @param isTable whether the header, such as `project` or `dependencies.tidemark`, is of a table to look at.
 * @param edit gets each line without its end, and the header it stands under.
 */
export function editTomlLines(
  text: string,
  isTable: (header: string) => boolean,
  edit: (line: string, header: string) => string,
): string {
  let header = '';
  return text.replace(/[^\r\n]+/g, (line) => {
    const found = /^\s*\[\[?\s*([^\]]+?)\s*\]\]?\s*(?:#.*)?$/.exec(line)?.[1];
    // A list that goes over several lines may hold a line in brackets, but never a bare or dotted key alone in them.
    if (found !== undefined && /^[\w."' -]+(?:\.[\w."' -]+)*$/.test(found) && !/^["'].*["'],?$/.test(found))
      header = found.replace(/["'\s]/g, '');
    return isTable(header) ? edit(line, header) : line;
  });
}
