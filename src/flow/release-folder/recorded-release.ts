import type { DestinationConfig } from '../../core/config/config.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { isSbom } from '../../core/form/definitions.ts';
import type { LedgerDelivery, LedgerRelease } from '../../core/ledger/fold.ts';
import type { ArtifactRecord, ReleaseRecord } from '../../core/record/release-record.ts';
import { nearest } from '../../core/text/nearest.ts';
import { isVersion } from '../../core/version/version.ts';
import type { Subject } from '../../store/parcel.ts';
import type { Workspace } from '../workspace/workspace.ts';
import type { ReleaseFolder } from './built-release.ts';

/**
 * Finds `PACKAGE@VERSION` in the ledger; a name alone is its newest release. Where all releases are of one package, the
 * version alone will do, also with a `v` before it.
 * @throws RELEASE_NOT_RECORDED
 */
export function findRelease(releases: readonly LedgerRelease[], text: string): LedgerRelease {
  const { name, version } = splitRelease(releases, text);
  const own = releases.filter((release) => release.package === name || release.about.name === name);
  const found = version === null ? own[0] : own.find((release) => release.version === version);
  if (found !== undefined) return found;
  const near = nearest(name, [...new Set(releases.map((release) => release.package))]);
  const versions = own.slice(0, 5).map((release) => release.version);
  throw new BevelstoneError('RELEASE_NOT_RECORDED', {
    message: `${text} is not in the ledger`,
    why:
      own.length > 0
        ? `it has ${name} ${versions.join(', ')}${own.length > 5 ? ' and older ones' : ''}`
        : releases.length === 0
          ? 'nothing was published yet'
          : `it knows no package ${name}`,
    fix: own.length === 0 && near !== null ? `Did you mean "${near}"?` : 'Run: bevelstone ledger list',
  });
}

function splitRelease(
  releases: readonly LedgerRelease[],
  text: string,
): { readonly name: string; readonly version: string | null } {
  const [only, ...others] = new Set(releases.map((release) => release.package));
  const bare = withoutV(text);
  if (isVersion(bare) && only !== undefined && others.length === 0) return { name: only, version: bare };
  const at = text.lastIndexOf('@');
  return at > 0 ? { name: text.slice(0, at), version: withoutV(text.slice(at + 1)) } : { name: text, version: null };
}

function withoutV(text: string): string {
  return isVersion(text.slice(1)) && text.startsWith('v') ? text.slice(1) : text;
}

/** A release as a destination knows it. */
export function subjectOf({ package: packageName, version, about }: LedgerRelease): Subject {
  return { packageName, name: about.name, version, spellings: about.spellings };
}

/** Deliveries of a release that are still there, by destination. */
export function standingDeliveries({ deliveries }: LedgerRelease): ReadonlyMap<string, readonly LedgerDelivery[]> {
  const standing = deliveries.filter(({ state }) => state !== 'withdrawn');
  const names = [...new Set(standing.map(({ destination }) => destination))];
  return new Map(names.map((name) => [name, standing.filter(({ destination }) => destination === name)]));
}

/** A release of the ledger as if it had been built here; only what delivering looks at is filled. */
export function recordedFolder(
  release: LedgerRelease,
  wanted: readonly ArtifactRecord[],
  folder: string,
): ReleaseFolder {
  const record: ReleaseRecord = {
    schema: 'bevelstone/1',
    package: release.package,
    version: release.version,
    tag: release.tag,
    commit: release.commit,
    source: release.source,
    ...release.about,
    artifacts: wanted.filter((artifact) => !isSbom(artifact)),
    sboms: wanted.filter(isSbom),
    last: null,
    weight: 'none',
    reasons: [],
    configDigest: null,
    pending: [],
    uncommitted: false,
    tools: [],
    program: { bevelstone: '', node: '', zlib: '', arch: '' },
  };
  return { folder, record };
}

/** A destination of the configuration by its name. @throws CONFIG_UNKNOWN_REFERENCE */
export function destinationNamed({ config }: Workspace, name: string): DestinationConfig {
  const found = config.destinations[name];
  if (found !== undefined) return found;
  const known = Object.keys(config.destinations);
  const near = nearest(name, known);
  throw new BevelstoneError('CONFIG_UNKNOWN_REFERENCE', {
    message: `unknown destination "${name}"`,
    why:
      known.length === 0
        ? 'bevelstone.yaml has no destinations'
        : `destinations in bevelstone.yaml: ${known.join(', ')}`,
    fix: near === null ? 'Use one of them, or define it first' : `Did you mean "${near}"?`,
  });
}
