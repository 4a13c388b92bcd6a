import { parseCoreMetadata } from '../../form/python/core-metadata.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const wheelTag: Rule = {
  id: 'python/wheel-tag',
  forms: ['wheel'],
  severity: 'refuse',
  what: "A wheel's file name, tags and contents agree",
  why: 'Installers choose by the tags in the file name: with a wrong tag, code is installed where it cannot run, or not where it could',
  fix: 'Build one wheel per platform with its own tags, and a pure wheel without machine code',
  example: 'tidemark_py-1.4.0-py3-none-any.whl with _tide.cpython-311-x86_64-linux-gnu.so inside',
  check: ({ fileName, entries, texts, binaries, manifest }) => {
    const found: RawFinding[] = [];
    const name = /^(?<dist>[^-]+)-(?<version>[^-]+)(?:-(?<build>\d[^-]*))?-(?<tags>[^-]+-[^-]+-[^-]+)\.whl$/.exec(
      fileName,
    )?.groups;
    if (name === undefined)
      return [{ path: null, message: `invalid wheel name ${fileName}: expected NAME-VERSION-PYTHON-ABI-PLATFORM.whl` }];
    const path = [...texts.keys()].find((key) => /^[^/]+\.dist-info\/WHEEL$/.test(key)) ?? null;
    const { fields } = parseCoreMetadata(texts.get(path ?? '') ?? '');
    const named = expand(name['tags'] ?? '');
    const inside = new Set((fields['Tag'] ?? []).flatMap(expand));
    if (named.some((tag) => !inside.has(tag)) || inside.size !== new Set(named).size)
      found.push({
        path,
        message: `its tags are ${[...inside].join(', ') || 'missing'}, the file name says ${name['tags']}`,
      });
    const info = path?.split('/')[0] ?? '';
    const folder = info.replace(/\.dist-info$/, '').split('-')[0] ?? '';
    if (normal(folder) !== normal(name['dist'] ?? ''))
      found.push({ path: info, message: `the folder is for ${folder}, the file name says ${name['dist']}` });
    if (manifest?.common.name != null && normal(manifest.common.name) !== normal(name['dist'] ?? ''))
      found.push({
        path: manifest.path,
        message: `the metadata names ${manifest.common.name}, the file name says ${name['dist']}`,
      });
    const isPure = fields['Root-Is-Purelib']?.[0]?.trim().toLowerCase() === 'true';
    // Starters for Windows are kept in pure wheels on purpose.
    const code = entries.filter(
      (entry) =>
        (binaries.get(entry.path)?.type === 'native' && !entry.path.endsWith('.exe')) ||
        /\.(?:so|pyd|dylib)$/.test(entry.path),
    );
    const [first] = code;
    if (first !== undefined && named.every((tag) => tag.endsWith('-any')))
      found.push({ path: first.path, message: `it is machine code, but the tag ${named[0]} allows any platform` });
    else if (first !== undefined && isPure && !first.path.includes('.data/'))
      found.push({
        path: first.path,
        message: 'it is machine code, but Root-Is-Purelib is true',
        severity: 'warn',
      });
    if (first === undefined && !isPure && named.every((tag) => tag.endsWith('-none-any')))
      found.push({ path, message: 'Root-Is-Purelib is not true, but there is no machine code', severity: 'warn' });
    for (const { path: file } of code) {
      const own = /\.cpython-(\d)(\d+)-/.exec(file);
      const python = own === null ? null : `cp${own[1]}${own[2]}`;
      if (python !== null && !named.some((tag) => tag.startsWith(`${python}-`)))
        found.push({ path: file, message: `it is for ${python}, which is not among the wheel's tags` });
    }
    return found;
  },
};

/** A compressed tag set as single tags (PEP 425, "Compressed Tag Sets"). */
function expand(tag: string): string[] {
  const [pythons = '', abis = '', platforms = ''] = tag.split('-');
  return pythons
    .split('.')
    .flatMap((python) =>
      abis.split('.').flatMap((abi) => platforms.split('.').map((platform) => `${python}-${abi}-${platform}`)),
    );
}

function normal(name: string): string {
  return name.replace(/[-_.]+/g, '-').toLowerCase();
}
