import { normaliseName } from '../../manifest/normalise-name.ts';
import { hexDigest } from '../digest.ts';
import { type DependencyReader, type LockedPackage, lockedPackage } from './reading.ts';

/** A requirements file, with hashes where it has them (the installer's documentation, "Requirements File Format"). */
export const readRequirements: DependencyReader = (text, { file }) => {
  const packages = new Map<string, LockedPackage>();
  const unknown: string[] = [];
  for (const line of text.replace(/\\\r?\n/g, ' ').split(/\r?\n/)) {
    const plain = line.replace(/(?:^|\s)#.*$/, '').trim();
    if (plain === '') continue;
    const nested = /^(?:-r|--requirement|-c|--constraint)[ =]?(\S+)/.exec(plain)?.[1];
    if (nested !== undefined) continue;
    const match = /^([A-Za-z0-9][\w.-]*)\s*(?:\[[^\]]*\])?\s*(.*)$/.exec(plain);
    if (plain.startsWith('-') || match === null || /^@|:\/\//.test(match[2] ?? '')) {
      if (
        !/^(?:-i|-f|--(?:index-url|extra-index-url|find-links|no-index|trusted-host|pre|prefer-binary|only-binary|no-binary|require-hashes))/.test(
          plain,
        )
      )
        unknown.push(`${file}: "${plain.slice(0, 80)}" names no project with a version`);
      continue;
    }
    const name = normaliseName(match[1] ?? '');
    const version = /^={2,3}\s*([^\s;,*]+)(?:\s|;|$)/.exec(match[2] ?? '')?.[1] ?? null;
    if (version === null) unknown.push(`${file} leaves open which version of ${name} is meant`);
    const digests = [...plain.matchAll(/--hash=(\w+):([0-9a-fA-F]+)/g)].flatMap(
      (hash) => hexDigest(hash[1] ?? '', hash[2] ?? '') ?? [],
    );
    packages.set(name, lockedPackage({ key: name, type: 'pypi', name, version, digests }));
  }
  const kind = /(?:dev|test|lint|docs?|ci)/i.test(file.split('/').at(-1) ?? '') ? 'development' : 'run';
  const roots = new Map([['', [...packages.keys()].map((key) => ({ key, kind }) as const)]]);
  return { format: 'requirements file', packages: [...packages.values()], roots, unknown };
};
