import { BevelstoneError } from '../error/bevelstone-error.ts';
import { objectOf, textOf } from './fields.ts';
import type { ManifestDependency, ManifestFormat } from './package-manifest.ts';
import { parseXml } from './xml.ts';

/** `pom.xml` of one project (Maven POM reference). Names are `GROUP:ARTIFACT`; values with `${…}` count as missing. */
export const pomFormat: ManifestFormat = {
  read: (text, file) => {
    const project = parsePom(text, file);
    const parent = objectOf(project['parent']);
    const group = literal(project['groupId']) ?? literal(parent['groupId']);
    const artifact = literal(project['artifactId']);
    const licences = [objectOf(project['licenses'])['license']].flat();
    return {
      name: artifact === null ? null : [group, artifact].filter((part) => part !== null).join(':'),
      version: literal(project['version']),
      description: literal(project['description']),
      licence: literal(objectOf(licences[0])['name']),
      dependencies: [objectOf(project['dependencies'])['dependency']].flat().flatMap((item): ManifestDependency[] => {
        const { groupId, artifactId, version, scope, optional } = objectOf(item);
        const name = [literal(groupId), literal(artifactId)].filter((part) => part !== null).join(':');
        return name === ''
          ? []
          : [
              {
                name,
                range: literal(version) ?? '',
                kind: scope === 'test' ? 'development' : scope === 'provided' ? 'peer' : 'run',
                ...(optional === 'true' || optional === true ? { isOptional: true } : {}),
              },
            ];
      }),
    };
  },
  stamp: (text, { version, ranges }, file) => {
    parsePom(text, file);
    const edits = elements(text).flatMap(({ path, start, end, artifact }) => {
      // What stands behind a property is written where the property is.
      if (path === 'project/version')
        return version === null || text.slice(start, end).includes('${') ? [] : [{ start, end, value: version }];
      const change =
        path === 'project/dependencies/dependency/version'
          ? ranges.find(({ name, from }) => name === artifact && from === text.slice(start, end).trim())
          : undefined;
      return change === undefined ? [] : [{ start, end, value: change.to }];
    });
    return edits
      .reverse()
      .reduce((edited, { start, end, value }) => edited.slice(0, start) + value + edited.slice(end), text);
  },
};

/**
 * A POM as it is published: a version behind a property, its own or that of its parent, is written out, since those who
 * resolve it do not have the property (Maven, "CI Friendly Versions").
 */
export function withPlainVersion(text: string, version: string): string {
  return elements(text)
    .filter(({ path, start, end }) => plainPaths.includes(path) && text.slice(start, end).includes('${'))
    .reverse()
    .reduce((edited, { start, end }) => edited.slice(0, start) + version + edited.slice(end), text);
}

const plainPaths = ['project/version', 'project/parent/version'];

/** The `<project>` of a POM. @throws MANIFEST_INVALID */
export function parsePom(text: string, file: string): Readonly<Record<string, unknown>> {
  const project = parseXml(text, file)['project'];
  if (typeof project === 'object') return objectOf(project);
  throw new BevelstoneError('MANIFEST_INVALID', {
    message: `${file} cannot be read`,
    why: 'it has no <project>',
    fix: 'Correct the file and commit it',
    where: { file },
  });
}

type XmlText = { readonly path: string; readonly start: number; readonly end: number; readonly artifact: string };

/** Elements that hold text only, with the span of that text, and the `GROUP:ARTIFACT` of the dependency around them. */
function elements(text: string): XmlText[] {
  const found: XmlText[] = [];
  const open: { name: string; start: number; children: Map<string, string>; texts: XmlText[] }[] = [];
  const token = /<!--[\s\S]*?-->|<!\[CDATA\[[\s\S]*?\]\]>|<\?[\s\S]*?\?>|<!\w[^>]*>|<(\/?)([\w.:-]+)[^>]*?(\/?)>/g;
  for (let match = token.exec(text); match !== null; match = token.exec(text)) {
    const [, slash, name = '', selfClosing] = match;
    if (name === '' || selfClosing === '/') continue;
    if (slash !== '/') {
      open.push({ name, start: token.lastIndex, children: new Map(), texts: [] });
      continue;
    }
    const element = open.pop();
    const parent = open.at(-1);
    if (element === undefined) continue;
    const value = text.slice(element.start, match.index);
    parent?.children.set(name, value.trim());
    const artifact = [element.children.get('groupId'), element.children.get('artifactId')]
      .filter((part) => part !== undefined)
      .join(':');
    for (const text of element.texts) found.push({ ...text, artifact });
    if (element.children.size > 0) continue;
    const path = [...open.map((item) => item.name), name].join('/');
    (parent?.texts ?? found).push({ path, start: element.start, end: match.index, artifact: '' });
  }
  return found.sort((a, b) => a.start - b.start);
}

function literal(value: unknown): string | null {
  const text = textOf(value);
  return text === null || text.includes('${') ? null : text.trim();
}
