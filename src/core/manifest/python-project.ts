import { BevelstoneError } from '../error/bevelstone-error.ts';
import { objectOf, textOf } from './fields.ts';
import { normaliseName } from './normalise-name.ts';
import { parseToml } from './toml.ts';

/** A person or team (PEP 621, "authors/maintainers"). */
export type Person = { readonly name: string | null; readonly email: string | null };

/** The `[project]` table of a pyproject.toml (PEP 621, licences by PEP 639). */
export type PythonProject = {
  readonly name: string;
  readonly version: string | null;
  readonly dynamic: readonly string[];
  readonly description: string | null;
  readonly readme: { readonly file: string | null; readonly text: string | null; readonly contentType: string } | null;
  readonly requiresPython: string | null;
  /** SPDX expression. */
  readonly licence: string | null;
  /** Globs of licence files; null for the usual names. */
  readonly licenceFiles: readonly string[] | null;
  readonly authors: readonly Person[];
  readonly maintainers: readonly Person[];
  readonly keywords: readonly string[];
  readonly classifiers: readonly string[];
  readonly urls: Readonly<Record<string, string>>;
  /** `console_scripts`, `gui_scripts` and the other groups: name to object reference. */
  readonly entryPoints: Readonly<Record<string, Readonly<Record<string, string>>>>;
  readonly dependencies: readonly string[];
  readonly optionalDependencies: Readonly<Record<string, readonly string[]>>;
};

/**
 * Reads the `[project]` table.
 * @throws MANIFEST_INVALID for broken TOML, and for a table without a name or with a name that PEP 508 does not allow.
 */
export function parsePythonProject(text: string, file: string): PythonProject {
  const project = objectOf(parseToml(text, file)['project']);
  const name = textOf(project['name']);
  if (name === null) throw invalid(file, '`[project]` has no name', 'Add `name = "…"` below `[project]`');
  if (!/^[A-Z0-9]([A-Z0-9._-]*[A-Z0-9])?$/i.test(name))
    throw invalid(
      file,
      `"${name}" is not a valid name for a Python project`,
      'Use letters, digits, dots, hyphens and underscores',
    );
  const scripts = { console_scripts: objectOf(project['scripts']), gui_scripts: objectOf(project['gui-scripts']) };
  const groups = { ...scripts, ...objectOf(project['entry-points']) };
  const licence = project['license'];
  const licenceFile = textOf(objectOf(licence)['file']);
  return {
    name,
    version: textOf(project['version']),
    dynamic: texts(project['dynamic']),
    description: textOf(project['description']),
    readme: readmeOf(project['readme'], file),
    requiresPython: textOf(project['requires-python']),
    licence: textOf(licence) ?? textOf(objectOf(licence)['text']),
    licenceFiles: Array.isArray(project['license-files'])
      ? texts(project['license-files'])
      : licenceFile === null
        ? null
        : [licenceFile],
    authors: people(project['authors']),
    maintainers: people(project['maintainers']),
    keywords: texts(project['keywords']),
    classifiers: texts(project['classifiers']),
    urls: record(project['urls']),
    entryPoints: Object.fromEntries(
      Object.entries(groups)
        .map(([group, value]) => [group, record(value)] as const)
        .filter(([, value]) => Object.keys(value).length > 0),
    ),
    dependencies: texts(project['dependencies']),
    optionalDependencies: Object.fromEntries(
      Object.entries(objectOf(project['optional-dependencies'])).map(([extra, list]) => [
        normaliseName(extra),
        texts(list),
      ]),
    ),
  };
}

const contentTypes: Readonly<Record<string, string>> = {
  md: 'text/markdown',
  markdown: 'text/markdown',
  rst: 'text/x-rst',
  txt: 'text/plain',
};

/** The readme's content type follows from its ending when the table gives none (PEP 621, "readme"). */
function readmeOf(value: unknown, file: string): PythonProject['readme'] {
  const table = objectOf(value);
  const place = textOf(value) ?? textOf(table['file']);
  const text = textOf(table['text']);
  if (place === null && text === null) return null;
  const ending = /\.([a-z]+)$/i.exec(place ?? '')?.[1]?.toLowerCase() ?? '';
  const contentType = textOf(table['content-type']) ?? contentTypes[ending];
  if (contentType !== undefined) return { file: place, text, contentType };
  const fix = 'Name a .md, .rst or .txt file, or give `content-type`';
  throw invalid(file, `nothing says what the readme ${place ?? 'text'} is written in`, fix);
}

function texts(value: unknown): string[] {
  return Array.isArray(value) ? value.filter((item) => typeof item === 'string') : [];
}

function record(value: unknown): Record<string, string> {
  return Object.fromEntries(
    Object.entries(objectOf(value)).filter((pair): pair is [string, string] => typeof pair[1] === 'string'),
  );
}

function people(value: unknown): Person[] {
  if (!Array.isArray(value)) return [];
  return value.map((item) => ({ name: textOf(objectOf(item)['name']), email: textOf(objectOf(item)['email']) }));
}

function invalid(file: string, why: string, fix: string): BevelstoneError {
  return new BevelstoneError('MANIFEST_INVALID', { message: `${file} cannot be used`, why, fix, where: { file } });
}
