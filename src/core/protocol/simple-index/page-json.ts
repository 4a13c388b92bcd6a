import { createHash } from 'node:crypto';
import { attributeOf, parsePage } from './page.ts';

/** A project's page as JSON (PEP 691, "Project Detail", API version 1.0). */
export function pageAsJson(page: string, name: string): string {
  const files = (parsePage(page) ?? []).map((anchor) => {
    const [url = '', fragment = ''] = (attributeOf(anchor, 'href') ?? '').split('#', 2);
    const [algorithm, digest] = fragment.split('=', 2);
    const requires = attributeOf(anchor, 'data-requires-python');
    const metadata = attributeOf(anchor, 'data-core-metadata') ?? attributeOf(anchor, 'data-dist-info-metadata');
    const yanked = attributeOf(anchor, 'data-yanked');
    return {
      filename: anchor.label,
      url,
      hashes: algorithm && digest ? { [algorithm]: digest } : {},
      ...(requires === null ? {} : { 'requires-python': requires }),
      ...(metadata === null ? {} : { 'core-metadata': hashesIn(metadata) }),
      ...(yanked === null ? {} : { yanked: yanked === '' ? true : yanked }),
    };
  });
  return `${JSON.stringify({ meta: { 'api-version': '1.0' }, name, files })}\n`;
}

/** PEP 714: true, or a digest. */
function hashesIn(value: string): true | Record<string, string> {
  const [algorithm, digest] = value.split('=', 2);
  return algorithm && digest ? { [algorithm]: digest } : true;
}

/**
 * The page of all projects as JSON (PEP 691, "Project List"). A key of our own (names that begin with `_`) says which page it was
 * made of, so that thousands of projects are not compared each time.
 */
export function projectListAsJson(page: string): string {
  const projects = (parsePage(page) ?? []).map(({ label }) => ({ name: label }));
  return `${headOf(page)}${JSON.stringify({ projects }).slice(1)}\n`;
}

/** Whether a list of projects as JSON was made of this page. */
export function isProjectListOf(json: string, page: string): boolean {
  return json.startsWith(headOf(page)) && json.endsWith('}\n');
}

function headOf(page: string): string {
  const meta = { 'api-version': '1.0', _page: createHash('sha256').update(page).digest('hex') };
  return `${JSON.stringify({ meta }).slice(0, -1)},`;
}
