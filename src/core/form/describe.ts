import { commonFolder } from '../contents/entry.ts';
import { type Form, forms } from '../name/form.ts';
import { describeCrate } from './crate/describe-crate.ts';
import { describeDeb } from './deb/describe-deb.ts';
import type { Describe } from './definition.ts';
import { formDefinitions } from './definitions.ts';
import type { Description, RawArtifact } from './description.ts';
import { describeModule } from './go-module/describe-module.ts';
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
    '^(?:[^/]+/)?(?:package\\.json|Cargo\\.toml|\\.cargo_vcs_info\\.json|readme(?:\\.[a-z]+)?|PKG-INFO)$',
    '^[^/]+\\.dist-info/(?:METADATA|WHEEL)$',
    '^META-INF/MANIFEST\\.MF$',
    '^[^/]+\\.(?:nuspec|pom)$',
    '^pom\\.xml$',
    '^(?:[^/]+/)*[^/]+@v\\d[^/]*/(?:go\\.mod|readme(?:\\.[a-z]+)?)$',
  ].join('|'),
  'i',
);

/** Tells an artifact's form by what is inside, not by its name alone, and what it says of itself. */
export function describeArtifact(raw: RawArtifact): Description {
  const prefix = commonFolder(raw.entries);
  const found = asNamed(raw, recognise(raw, prefix));
  const base = {
    prefix,
    manifest: null,
    problem: null,
    readme: findReadme(raw, prefix),
    commit: commitIn(raw.comment),
    metadata: '',
  };
  const described = { ...base, targets: [], ...(found ?? { form: raw.container }) };
  return { ...described, targets: [...described.targets, ...nativeTargets(raw)] };
}

/**
 * An installer goes by the name, so what the name says counts where the contents are of another ecosystem or of no form.
 * @returns found, or the form of the name alone.
 */
function asNamed(raw: RawArtifact, found: ReturnType<Describe>): ReturnType<Describe> {
  const named = forms.find((form) => {
    const { naming, container } = formDefinitions[form];
    const isContainer = container === raw.container || (container === 'file' && raw.container === 'text');
    return isContainer && naming?.ending.test(raw.fileName) === true;
  });
  if (named === undefined) return found;
  const isOther = found === null || formDefinitions[found.form].ecosystem !== formDefinitions[named].ecosystem;
  return isOther ? { form: named, problem: found?.problem ?? null } : found;
}

function recognise(raw: RawArtifact, prefix: string): ReturnType<Describe> {
  for (const describe of Object.values(describers)) {
    const found = describe === null ? null : describe(raw, prefix);
    if (found !== null) return found;
  }
  return null;
}

/**
 * How each form is recognised, in the order in which they are tried. Null for a form that no file shows: an artifact that
 * none recognises is of the form of its container.
 */
const describers: Readonly<Record<Form, Describe | null>> = {
  deb: describeDeb,
  crate: describeCrate,
  'go-module': describeModule,
  pom: describePom,
  wheel: describeWheel,
  nupkg: describeNupkg,
  snupkg: null,
  jar: describeJar,
  'sources-jar': null,
  'documentation-jar': null,
  war: null,
  ear: null,
  'npm-tarball': describeNpm,
  sdist: describeSdist,
  'tar.gz': null,
  zip: null,
  'source-archive': null,
  loose: null,
  spdx: null,
  cyclonedx: null,
  tar: null,
  text: null,
};

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
