import { existsSync, readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { expect, it } from 'vitest';
import { ecosystemDefinitions, manifestFiles } from '../../src/core/ecosystem/definitions.ts';
import { formDefinitions } from '../../src/core/form/definitions.ts';
import { ecosystems } from '../../src/core/name/ecosystem.ts';
import { builtForms } from '../../src/core/name/form.ts';
import { protocols } from '../../src/core/name/protocol.ts';
import { protocolDefinitions } from '../../src/core/protocol/definitions.ts';

const root = path.join(import.meta.dirname, '../..');
const read = (file: string) => readFileSync(path.join(root, file), 'utf8');

/** Every file of some folders of the repository, by its path. */
function filesIn(...folders: readonly string[]): string[] {
  return folders.flatMap((folder) =>
    readdirSync(path.join(root, folder), { recursive: true, withFileTypes: true })
      .filter((entry) => entry.isFile())
      .map((entry) => path.relative(root, path.join(entry.parentPath, entry.name))),
  );
}

/** Folders of the tree that docs/architecture.md shows, below `src`, two levels deep. */
function describedFolders(): string[] {
  const tree = /^ {4}src\/\n([\s\S]*?)^ {4}demo\//m.exec(read('docs/architecture.md'))?.[1] ?? '';
  let top = '';
  return tree.split('\n').flatMap((line) => {
    const [, indent = '', name] = /^ {4}( +)([a-z-]+)\/ /.exec(line) ?? [];
    if (name === undefined) return [];
    if (indent.length === 2) top = name;
    return [indent.length === 2 ? name : `${top}/${name}`];
  });
}

it('docs/architecture.md shows the folders of src as they are', () => {
  const described = describedFolders();
  const shownDeeper = new Set(described.filter((name) => name.includes('/')).map((name) => name.split('/')[0]));
  const there = readdirSync(path.join(root, 'src'), { withFileTypes: true }).flatMap(({ name }) => [
    name,
    ...(shownDeeper.has(name)
      ? readdirSync(path.join(root, 'src', name), { withFileTypes: true })
          .filter((entry) => entry.isDirectory())
          .map((entry) => `${name}/${entry.name}`)
      : []),
  ]);

  expect(described.sort()).toEqual(there.sort());
});

it('docs and comments name files that are there', () => {
  const texts = [...filesIn('docs'), 'README.md', 'CONTRIBUTING.md'].filter((file) => file.endsWith('.md'));
  const named = texts.flatMap((file) =>
    [...read(file).matchAll(/`((?:src|core|world|destination|standin|flow|cli|test|scripts)\/[\w./-]+\.[a-z]+)`/g)].map(
      (match) => [file, match[1] ?? ''] as const,
    ),
  );
  const missing = named.filter(
    ([, name]) => !/[A-Z]{3}/.test(name) && ![name, `src/${name}`].some((name) => existsSync(path.join(root, name))),
  );

  expect(named.length).toBeGreaterThan(30);
  expect(missing).toEqual([]);
});

it('comments cite design pages and steps that are there', () => {
  const cited = filesIn('src', 'test').flatMap((file) =>
    [...read(file).matchAll(/docs\/design\/([\w-]+\.md)(?:, steps? (\d+)(?:(?: to |,? and |, )(\d+))*)?/g)].map(
      (match) => ({
        file,
        page: match[1] ?? '',
        steps: match.slice(2).filter((step) => step !== undefined),
      }),
    ),
  );
  const missing = cited.filter(({ page, steps }) => {
    const place = `docs/design/${page}`;
    return (
      !existsSync(path.join(root, place)) || steps.some((step) => !new RegExp(`^${step}\\. `, 'm').test(read(place)))
    );
  });

  expect(cited.length).toBeGreaterThan(20);
  expect(missing).toEqual([]);
  expect(filesIn('src', 'test', 'bench', 'scripts').filter((file) => /design page/.test(read(file)))).toEqual([
    'test/structure/docs.test.ts',
  ]);
});

/** Rows of a table below a heading: cells without their outer spaces, by the name in the first one. */
function tableBelow(file: string, heading: string): Map<string, string[]> {
  const section = read(file).split(`${heading}\n`)[1]?.split(/\n#/)[0] ?? '';
  const rows = section.split('\n').filter((line) => /^\| `/.test(line));
  return new Map(
    rows.map((row) => {
      const [first = '', ...cells] = row
        .split('|')
        .slice(1, -1)
        .map((cell) => cell.trim());
      return [first.replaceAll('`', ''), cells];
    }),
  );
}

const quoted = (names: readonly string[]) => names.map((name) => `\`${name}\``).join(', ') || 'none';

it('docs/destinations.md has a row for each protocol, as it is defined', () => {
  const rows = tableBelow('docs/destinations.md', '# Destinations');
  const expected = protocols.map((protocol) => {
    const { title, forms } = protocolDefinitions[protocol];
    return [protocol, title, forms?.join(', ') ?? 'everything'];
  });

  expect([...rows].map(([name, [title, , forms]]) => [name, title, forms])).toEqual(expected);
});

it('docs/configuration.md has a row for each form, as it is defined', () => {
  const rows = tableBelow('docs/configuration.md', '## Forms');

  expect([...rows].map(([name, [title]]) => [name, title])).toEqual(
    builtForms.map((form) => [form, formDefinitions[form].title]),
  );
});

it('docs/configuration.md has a row for each ecosystem, as it is defined', () => {
  const rows = tableBelow('docs/configuration.md', '## Ecosystems');
  const expected = new Map(
    ecosystems.map((ecosystem) => {
      const { title, usualForms } = ecosystemDefinitions[ecosystem];
      const own = manifestFiles.filter((manifest) => manifest.ecosystem === ecosystem).map(({ file }) => file);
      return [ecosystem, [title, quoted(own), quoted(usualForms)]];
    }),
  );

  expect(rows).toEqual(expected);
});
