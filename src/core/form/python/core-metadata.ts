import parseLicence from 'spdx-expression-parse';
import type { Person, PythonProject } from '../../manifest/python-project.ts';

/** What METADATA and PKG-INFO say beside the project table. */
export type CoreMetadataInput = {
  readonly project: PythonProject;
  /** As PEP 440 writes it. */
  readonly version: string;
  readonly readme: string | null;
  /** Paths of licence files, as PEP 639 lists them. */
  readonly licenceFiles: readonly string[];
};

/** The core metadata file of a Python distribution ("Core metadata specifications" 2.4; licences by PEP 639). */
export function formatCoreMetadata({ project, version, readme, licenceFiles }: CoreMetadataInput): string {
  const fields: [string, string][] = [
    ['Metadata-Version', '2.4'],
    ['Name', project.name],
    ['Version', version],
  ];
  const add = (name: string, value: string | null) => value !== null && value !== '' && fields.push([name, value]);
  add('Summary', project.description);
  add('Keywords', project.keywords.join(','));
  addPeople('Author', project.authors, add);
  addPeople('Maintainer', project.maintainers, add);
  // Free text, from tables older than PEP 639, has a field of its own.
  add(isExpression(project.licence) ? 'License-Expression' : 'License', project.licence);
  for (const file of licenceFiles) add('License-File', file);
  for (const classifier of project.classifiers) add('Classifier', classifier);
  for (const [label, url] of Object.entries(project.urls)) add('Project-URL', `${label}, ${url}`);
  add('Requires-Python', project.requiresPython);
  for (const requirement of project.dependencies) add('Requires-Dist', requirement);
  for (const [extra, requirements] of Object.entries(project.optionalDependencies)) {
    add('Provides-Extra', extra);
    for (const requirement of requirements) add('Requires-Dist', withExtra(requirement, extra));
  }
  if (readme !== null) add('Description-Content-Type', contentType(project));
  const head = fields.map(([name, value]) => `${name}: ${value.replace(/\s*[\r\n]+\s*/g, ' ')}\n`).join('');
  return readme === null ? head : `${head}\n${readme.replace(/\r\n/g, '\n').trimEnd()}\n`;
}

function isExpression(licence: string | null): boolean {
  try {
    parseLicence(licence ?? '');
    return true;
  } catch {
    return false;
  }
}

function addPeople(role: string, people: readonly Person[], add: (name: string, value: string) => unknown): void {
  // PEP 621: a name alone goes to Author, everything with an address to Author-email.
  const named = people.flatMap(({ name, email }) => (email === null && name !== null ? [name] : []));
  const reached = people.flatMap(({ name, email }) =>
    email === null ? [] : [name === null ? email : `${quoted(name)} <${email}>`],
  );
  add(role, named.join(', '));
  add(`${role}-email`, reached.join(', '));
}

/** A display name with RFC 822's special characters is quoted. */
function quoted(name: string): string {
  return /[()<>[\]:;@\\,."]/.test(name) ? `"${name.replace(/(["\\])/g, '\\$1')}"` : name;
}

/** Adds the extra to a requirement's marker (PEP 508, "Environment Markers"). */
function withExtra(requirement: string, extra: string): string {
  const at = requirement.indexOf(';');
  if (at === -1) return `${requirement.trim()}; extra == '${extra}'`;
  const marker = requirement.slice(at + 1).trim();
  const safe = /\bor\b/.test(marker) ? `(${marker})` : marker;
  return `${requirement.slice(0, at).trim()}; ${safe} and extra == '${extra}'`;
}

function contentType({ readme }: PythonProject): string {
  const type = readme?.contentType ?? 'text/plain';
  if (type.includes(';')) return type;
  return type === 'text/markdown' ? `${type}; charset=UTF-8; variant=GFM` : `${type}; charset=UTF-8`;
}

/** Fields by name in their order, and the body (the format of RFC 822 headers, "Core metadata specifications"). */
export function parseCoreMetadata(text: string): { fields: Record<string, string[]>; body: string } {
  const normal = text.replace(/\r\n/g, '\n');
  const end = normal.indexOf('\n\n');
  const head = end === -1 ? normal : normal.slice(0, end);
  const fields = new Map<string, string[]>();
  for (const line of head
    .replace(/\n[ \t]+(?:\|)?/g, '\n\u0001')
    .replace(/\n\u0001/g, '\u0001')
    .split('\n')) {
    const match = /^([A-Za-z][\w-]*): ?(.*)$/s.exec(line);
    if (match === null) continue;
    const [, name = '', value = ''] = match;
    const values = fields.get(name) ?? [];
    values.push(value.replaceAll('\u0001', '\n'));
    fields.set(name, values);
  }
  return { fields: Object.fromEntries(fields), body: end === -1 ? '' : normal.slice(end + 2) };
}
