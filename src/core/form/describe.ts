import { commonFolder } from '../contents/entry.ts';
import { describeDeb } from './deb/describe-deb.ts';
import type { Description, RawArtifact } from './description.ts';
import { describeJar } from './jar/describe-jar.ts';
import { describeNpm } from './npm-tarball/describe-npm.ts';
import { describeNupkg } from './nupkg/describe-nupkg.ts';
import { describePom } from './pom/describe-pom.ts';
import { describeSdist, describeWheel } from './python/describe-python.ts';

/** Paths whose whole text is wanted, so that an artifact can be described. */
export function isDescribing(path: string): boolean {
  return wanted.test(path);
}

const wanted = new RegExp(
  [
    '^(?:[^/]+/)?(?:package\\.json|readme(?:\\.[a-z]+)?|PKG-INFO)$',
    '^[^/]+\\.dist-info/(?:METADATA|WHEEL)$',
    '^META-INF/MANIFEST\\.MF$',
    '^[^/]+\\.(?:nuspec|pom)$',
  ].join('|'),
  'i',
);

const describers = [describeDeb, describePom, describeWheel, describeNupkg, describeJar, describeNpm, describeSdist];

/** Tells an artifact's form by what is inside, not by its name alone, and what it says of itself. */
export function describeArtifact(raw: RawArtifact): Description {
  const prefix = commonFolder(raw.entries);
  const found = describers.map((describe) => describe(raw, prefix)).find((one) => one !== null);
  const base = { prefix, manifest: null, readme: findReadme(raw, prefix), commit: commitIn(raw.comment), metadata: '' };
  const described = { ...base, targets: [], ...(found ?? { form: raw.container }) };
  return { ...described, targets: [...described.targets, ...nativeTargets(raw)] };
}

/** Platforms of the machine code inside, with how many files. */
function nativeTargets({ binaries }: RawArtifact): string[] {
  const counts = new Map<string, number>();
  for (const kind of binaries.values())
    if (kind.type === 'native') counts.set(kind.platform, (counts.get(kind.platform) ?? 0) + 1);
  return [...counts].sort().map(([platform, count]) => `${platform}, ${count} ${count === 1 ? 'binary' : 'binaries'}`);
}

function findReadme({ texts }: RawArtifact, prefix: string): Description['readme'] {
  const found = [...texts].find(
    ([path]) => path.startsWith(prefix) && /^readme(\.[a-z]+)?$/i.test(path.slice(prefix.length)),
  );
  return found === undefined ? null : { path: found[0], text: found[1] };
}

/** A commit id in a text of the container itself. */
function commitIn(comment: string | null): string | null {
  return /^[0-9a-f]{40}(?:[0-9a-f]{24})?$/.exec(comment?.trim() ?? '')?.[0] ?? null;
}
