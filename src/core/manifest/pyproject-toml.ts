import { objectOf, textOf } from './fields.ts';
import type { ManifestDependency, ManifestFormat } from './package-manifest.ts';
import { editTomlLines, parseToml } from './toml.ts';

/** `pyproject.toml` with a `[project]` table (PEP 621), dependencies as PEP 508 writes them. */
export const pyprojectFormat: ManifestFormat = {
  read: (text, file) => {
    const document = parseToml(text, file);
    const project = objectOf(document['project']);
    const requires = objectOf(document['build-system'])['requires'];
    const extras = Object.values(objectOf(project['optional-dependencies'])).flat();
    return {
      name: normalOrNull(textOf(project['name'])),
      version: textOf(project['version']),
      description: textOf(project['description']),
      licence: textOf(project['license']) ?? textOf(objectOf(project['license'])['text']),
      dependencies: [
        ...requirements(project['dependencies'], 'run'),
        ...requirements(extras, 'run'),
        ...requirements(requires, 'build'),
      ],
    };
  },
  stamp: (text, { version, ranges }) =>
    editTomlLines(
      text,
      (header) => header.startsWith('project') || header === 'build-system',
      (line, header) => {
        if (header === 'project' && /^\s*version\s*=/.test(line))
          return line.replace(
            /(=\s*)(["']).*?\2/,
            (_, lead: string, quote: string) => `${lead}${quote}${version}${quote}`,
          );
        return line.replace(
          /(["'])([A-Za-z0-9][\w.-]*)(\s*(?:\[[^\]]*\])?\s*)((?:(?!\1)[^;])*?)(\s*(?:;(?:(?!\1).)*)?)\1/g,
          (whole, quote: string, name: string, extra: string, range: string, rest: string) => {
            const change = ranges.find((one) => one.name === normaliseName(name) && one.from === range);
            return change === undefined ? whole : `${quote}${name}${extra}${change.to}${rest}${quote}`;
          },
        );
      },
    ),
};

/** A project's name as indexes compare it (PEP 503, "Normalized Names"). */
export function normaliseName(name: string): string {
  return name.replace(/[-_.]+/g, '-').toLowerCase();
}

function normalOrNull(name: string | null): string | null {
  return name === null ? null : normaliseName(name);
}

function requirements(list: unknown, kind: ManifestDependency['kind']): ManifestDependency[] {
  const texts = Array.isArray(list) ? list.filter((one) => typeof one === 'string') : [];
  return texts.flatMap((text) => {
    const match = /^\s*([A-Za-z0-9][\w.-]*)\s*(?:\[[^\]]*\])?\s*([^;@]*?)\s*(?:;.*)?$/.exec(text);
    return match === null ? [] : [{ name: normaliseName(match[1] ?? ''), range: match[2] ?? '', kind }];
  });
}
