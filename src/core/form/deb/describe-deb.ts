import type { PackageManifest } from '../../manifest/package-manifest.ts';
import type { Describe } from '../definition.ts';
import type { RawArtifact } from '../description.ts';
import { parseControl } from './control.ts';
import { canonicalControl } from './deb.ts';

/** A Debian binary package (deb(5), deb-control(5)). */
export function describeDeb({ container, control }: RawArtifact): ReturnType<Describe> {
  if (container !== 'deb') return null;
  const fields = parseControl(control.get('control') ?? '');
  const [synopsis = ''] = (fields['Description'] ?? '').split('\n');
  const common: PackageManifest = {
    name: fields['Package'] ?? null,
    // Debian Policy §5.6.12: what stands behind the last hyphen is the revision of the packaging.
    version: fields['Version']?.replace(/-[^-]*$/, '') ?? null,
    description: synopsis === '' ? null : synopsis,
    licence: null,
    dependencies: dependenciesOf(fields['Depends'] ?? ''),
  };
  return {
    form: 'deb',
    // The package is the whole system's: there is no top folder of its own.
    prefix: '',
    manifest: { path: 'control', json: fields, common },
    targets: fields['Architecture'] === undefined ? [] : [`architecture ${fields['Architecture']}`],
    commit: /^[0-9a-f]{40,64}$/.exec(fields['Source-Commit'] ?? '')?.[0] ?? null,
    metadata: canonicalControl(fields),
  };
}

/** `a (>= 1), b | c` as names and ranges (Debian Policy §7.1). */
function dependenciesOf(text: string): PackageManifest['dependencies'] {
  return text.split(',').flatMap((part) => {
    const match = /^\s*([a-z0-9][^\s(|]*)\s*(?:\(([^)]*)\))?(.*)$/.exec(part);
    if (match === null) return [];
    const others = (match[3] ?? '').trim();
    return [{ name: match[1] ?? '', range: [match[2] ?? '', others].filter(Boolean).join(' '), kind: 'run' as const }];
  });
}
