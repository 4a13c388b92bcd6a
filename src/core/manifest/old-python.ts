import { normaliseName } from './normalise-name.ts';
import type { ManifestFormat, PackageManifest } from './package-manifest.ts';
import { requirements } from './pyproject-toml.ts';

/** The static values that an older manifest gives, under the names that `[project]` has for them. */
export type OldFields = Readonly<Record<string, string | readonly string[]>>;

/** `setup.cfg`, whose `[metadata]` and `[options]` say what `[project]` says today. */
export const setupCfgFormat: ManifestFormat = {
  read: (text) => toManifest(readSetupCfg(text)),
  stamp: (text, { version }) =>
    version === null
      ? text
      : text.replace(
          /(^\[metadata\][^[]*?^version\s*=[ \t]*)(?!attr:|file:)\S[^\n]*/m,
          (_, lead: string) => `${lead}${version}`,
        ),
};

/** `setup.py`, read without running it: only literal arguments of a plain `setup(…)` call count. */
export const setupPyFormat: ManifestFormat = {
  read: (text) => toManifest(readSetupPy(text)),
  stamp: (text, { version }) =>
    version === null
      ? text
      : text.replace(
          /(\bversion\s*=\s*)(["'])[^"'\n]*\2/,
          (_, lead: string, quote: string) => `${lead}${quote}${version}${quote}`,
        ),
};

/** Keys of setup.cfg and setup.py, and what `[project]` calls them. */
const names: Readonly<Record<string, string>> = {
  name: 'name',
  version: 'version',
  description: 'description',
  summary: 'description',
  long_description: 'readme',
  license: 'license',
  author: 'author',
  author_email: 'author_email',
  url: 'url',
  python_requires: 'requires-python',
  install_requires: 'dependencies',
  classifiers: 'classifiers',
  keywords: 'keywords',
};
const lists = new Set(['dependencies', 'classifiers', 'keywords']);

/** Static values of a setup.cfg; `attr:` and the like are left out, a `file:` readme is its path. */
export function readSetupCfg(text: string): OldFields {
  const fields: Record<string, string | string[]> = {};
  let section = '';
  const logical = text
    .replace(/\r\n/g, '\n')
    .replace(/\n(?:[ \t]*[#;][^\n]*)?(?=\n)/g, '')
    .replace(/\n[ \t]+/g, '\u0001');
  for (const line of logical.split('\n')) {
    section = /^\[([^\]]+)\]/.exec(line)?.[1]?.trim() ?? section;
    const [, key = '', value = ''] = /^([\w.-]+)\s*[=:]\s*(.*)$/.exec(line) ?? [];
    const name = names[key.replaceAll('-', '_').toLowerCase()];
    if (name === undefined || !/^(?:metadata|options)$/.test(section)) continue;
    const parts = value
      .split(/\u0001/)
      .map((part) => part.trim())
      .filter(Boolean);
    const file = /^file:\s*([^,]+)$/.exec(parts[0] ?? '')?.[1];
    if (name === 'readme' && file !== undefined) fields[name] = file.trim();
    else if (!/^(?:attr|file|find|find_namespace):/.test(parts[0] ?? '') && name !== 'readme')
      fields[name] = lists.has(name) ? parts.flatMap((part) => splitList(part, name)) : parts.join(' ');
  }
  return fields;
}

/** Literal keyword arguments of the `setup(…)` call of a setup.py; anything computed is left out. */
export function readSetupPy(text: string): OldFields {
  const fields: Record<string, string | string[]> = {};
  const call = /\bsetup\s*\(/.exec(text);
  if (call === null) return fields;
  const literal = `"(?:[^"\\\\\\n]|\\\\.)*"|'(?:[^'\\\\\\n]|\\\\.)*'`;
  const argument = new RegExp(
    `(?<=[(,]\\s*)(\\w+)\\s*=\\s*(?:(${literal})\\s*(?=[,)])|\\[((?:\\s*(?:${literal})\\s*,?)*)\\s*\\])`,
    'g',
  );
  const code = text.slice(call.index).replace(/^((?:[^"'#\n]|"[^"\n]*"|'[^'\n]*')*)#.*$/gm, '$1');
  for (const [, key = '', value, many] of code.matchAll(argument)) {
    const name = names[key];
    if (name === undefined || name === 'readme') continue;
    const items = [...(many ?? '').matchAll(new RegExp(literal, 'g'))].map(([item]) => unquote(item));
    fields[name] = value === undefined ? items : lists.has(name) ? splitList(unquote(value), name) : unquote(value);
  }
  return fields;
}

/** The `[project]` table that older manifests amount to, setup.cfg before setup.py; null when they say nothing of use. */
export function offerProjectTable(setupCfg: string | null, setupPy: string | null): string | null {
  const fields = { ...readSetupPy(setupPy ?? ''), ...readSetupCfg(setupCfg ?? '') };
  if (fields['name'] === undefined) return null;
  const order = ['name', 'version', 'description', 'readme', 'requires-python', 'license', 'keywords', 'classifiers'];
  const lines = [...order, 'dependencies'].flatMap((name) =>
    fields[name] === undefined ? [] : [`${name} = ${JSON.stringify(fields[name])}`],
  );
  const { author, author_email: email, url } = fields;
  const person = [
    ...(author === undefined ? [] : [`name = ${JSON.stringify(author)}`]),
    ...(email === undefined ? [] : [`email = ${JSON.stringify(email)}`]),
  ];
  if (person.length > 0) lines.push(`authors = [{ ${person.join(', ')} }]`);
  if (url !== undefined) lines.push('', '[project.urls]', `Homepage = ${JSON.stringify(url)}`);
  return ['[project]', ...lines].join('\n');
}

function toManifest(fields: OldFields): PackageManifest {
  const item = (name: string) => (typeof fields[name] === 'string' ? fields[name] : null);
  const name = item('name');
  return {
    name: name === null ? null : normaliseName(name),
    version: item('version'),
    description: item('description'),
    licence: item('license'),
    dependencies: requirements(fields['dependencies'], 'run'),
  };
}

function splitList(text: string, name: string): string[] {
  return name === 'keywords' ? text.split(/[\s,]+/).filter(Boolean) : [text];
}

function unquote(literal: string): string {
  return literal.slice(1, -1).replace(/\\(.)/g, '$1');
}
