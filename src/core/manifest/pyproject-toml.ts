import { objectOf, textOf } from './fields.ts';
import { normaliseName } from './normalise-name.ts';
import type { ManifestDependency, ManifestFormat, ManifestStamp } from './package-manifest.ts';
import { editTomlLines, parseToml } from './toml.ts';

/** `pyproject.toml` with a `[project]` table (PEP 621), dependencies as PEP 508 writes them. */
export const pyprojectFormat: ManifestFormat = {
  read: (text, file) => {
    const document = parseToml(text, file);
    // Older versions of one build backend keep the same fields in a table of its own.
    const project = objectOf(document['project'] ?? objectOf(document['tool'])['poetry']);
    const requires = objectOf(document['build-system'])['requires'];
    const extras = Object.values(objectOf(project['optional-dependencies'])).flat();
    return {
      name: normalOrNull(textOf(project['name'])),
      version: textOf(project['version']),
      description: textOf(project['description']),
      licence: textOf(project['license']) ?? textOf(objectOf(project['license'])['text']),
      dependencies: [
        ...requirements(project['dependencies'], 'run'),
        ...requirements(extras, 'run').map((need) => ({ ...need, isOptional: true })),
        ...requirements(requires, 'build'),
      ],
      unpublished: unpublishedNeeds(document),
    };
  },
  stamp: (text, { version, isStatic, ranges }, file) =>
    editTomlLines(
      isStatic && version !== null ? makeStatic(text, version, file) : text,
      (header) => header.startsWith('project') || header === 'build-system' || header === 'tool.poetry',
      (line, header) => {
        if (version !== null && (header === 'project' || header === 'tool.poetry') && /^\s*version\s*=/.test(line))
          return line.replace(
            /(=\s*)(["']).*?\2/,
            (_, lead: string, quote: string) => `${lead}${quote}${version}${quote}`,
          );
        return raiseRequirements(line, ranges);
      },
    ),
};

/** A requirement in quotes: quote, name, extras, range, and what stands behind a semicolon (PEP 508). */
const requirement =
  /(?<quote>["'])(?<name>[A-Za-z0-9][\w.-]*)(?<extras>\s*(?:\[[^\]]*\])?\s*)(?<range>(?:(?!\k<quote>)[^;])*?)(?<rest>\s*(?:;(?:(?!\k<quote>).)*)?)\k<quote>/g;

function raiseRequirements(line: string, ranges: ManifestStamp['ranges']): string {
  return line.replace(requirement, (whole, ...groups) => {
    const { quote = '', name = '', extras = '', range = '', rest = '' } = groups.at(-1) as Record<string, string>;
    const change = ranges.find((item) => item.name === normaliseName(name) && item.from === range);
    return change === undefined ? whole : `${quote}${name}${extras}${change.to}${rest}${quote}`;
  });
}

/** A version that was left to the release becomes a static one (PEP 621, "dynamic"): below the name, out of the list. */
function makeStatic(text: string, version: string, file: string): string {
  const project = objectOf(parseToml(text, file)['project']);
  const dynamic = Array.isArray(project['dynamic']) ? project['dynamic'] : [];
  if (!dynamic.includes('version')) return text;
  const others = dynamic.filter((item) => item !== 'version');
  const list = others.length === 0 ? '' : `dynamic = [${others.map((item) => JSON.stringify(item)).join(', ')}]\n`;
  return text.replace(
    /(^\[project\][^\n]*\n)([\s\S]*?)^dynamic\s*=\s*\[[^\]]*\][^\n]*\n?/m,
    (_, header: string, before: string) => `${header}version = ${JSON.stringify(version)}\n${before}${list}`,
  );
}

/** Groups for developers (PEP 735), and the tables in which some tools of Python keep the same. */
function unpublishedNeeds(document: Readonly<Record<string, unknown>>): ManifestDependency[] {
  const tool = objectOf(document['tool']);
  const poetry = objectOf(tool['poetry']);
  const groups = Object.values(objectOf(poetry['group'])).map((group) => objectOf(objectOf(group)['dependencies']));
  return [
    ...requirements(Object.values(objectOf(document['dependency-groups'])).flat(), 'development'),
    ...requirements(objectOf(tool['uv'])['dev-dependencies'], 'development'),
    ...requirements(Object.values(objectOf(objectOf(tool['pdm'])['dev-dependencies'])).flat(), 'development'),
    ...poetryNeeds(objectOf(poetry['dependencies']), 'run'),
    ...[objectOf(poetry['dev-dependencies']), ...groups].flatMap((table) => poetryNeeds(table, 'development')),
  ];
}

/** Names with ranges, or with tables of their own, in the spelling of one build backend; `python` is the interpreter. */
function poetryNeeds(table: Readonly<Record<string, unknown>>, kind: ManifestDependency['kind']): ManifestDependency[] {
  return Object.entries(table).flatMap(([name, value]) => {
    const range = textOf(value) ?? textOf(objectOf(value)['version']) ?? '';
    const isOptional = objectOf(value)['optional'] === true;
    return name === 'python' ? [] : [{ name: normaliseName(name), range, kind, ...(isOptional ? { isOptional } : {}) }];
  });
}

function normalOrNull(name: string | null): string | null {
  return name === null ? null : normaliseName(name);
}

/** Requirements as PEP 508 writes them; those from an address and anything that is not text are left out. */
export function requirements(list: unknown, kind: ManifestDependency['kind']): ManifestDependency[] {
  const texts = Array.isArray(list) ? list.filter((item) => typeof item === 'string') : [];
  return texts.flatMap((text) => {
    const match = /^\s*([A-Za-z0-9][\w.-]*)\s*(?:\[[^\]]*\])?\s*([^;@]*?)\s*(?:;.*)?$/.exec(text);
    return match === null ? [] : [{ name: normaliseName(match[1] ?? ''), range: match[2] ?? '', kind }];
  });
}
