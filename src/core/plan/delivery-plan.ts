import type { DestinationConfig, PackageConfig } from '../config/config.ts';
import { BevelstoneError } from '../error/bevelstone-error.ts';
import { orderByDependency } from '../history/dependency.ts';
import type { Form } from '../name/form.ts';
import { isRemote } from '../name/protocol.ts';
import { protocolDefinitions } from '../protocol/definitions.ts';
import type { ReleaseRecord } from '../record/release-record.ts';
import type { Spellings } from '../version/spelling.ts';

/** Whether a destination takes artifacts of this form. */
export function takesForm({ speaks, takes }: Pick<DestinationConfig, 'speaks' | 'takes'>, form: Form): boolean {
  const forms: readonly string[] | null = takes ?? protocolDefinitions[speaks].forms;
  return forms === null || forms.includes(form);
}

/** Forms of which every artifact of a package is only built (`deliver: false`); a partial one follows the whole ones. */
export function keptForms(config: Pick<PackageConfig, 'artifacts'> | undefined): ReadonlySet<Form> {
  const artifacts = (config?.artifacts ?? []).filter((artifact) => artifact['only-new-after'] === null);
  const sent = new Set(artifacts.filter(({ deliver }) => deliver).map(({ form }) => form));
  return new Set(artifacts.map(({ form }) => form).filter((form) => !sent.has(form)));
}

/** Why a destination does not take releases of this stream and version; null when it does. By default all but previews. */
export function refusesRelease(
  config: Pick<DestinationConfig, 'streams' | 'speaks' | 'snapshots'>,
  {
    stream,
    spellings,
  }: Pick<ReleaseRecord, 'spellings'> & { readonly stream: { readonly name: string; readonly type: string } },
): string | null {
  const { streams, speaks } = config;
  const isTaken = streams === null ? stream.type !== 'preview' : streams.includes(stream.name);
  return isTaken
    ? protocolDefinitions[speaks].refuses(config, spellings satisfies Spellings)
    : `it does not take the stream ${stream.name}`;
}

/** The releases so ordered that each comes after what it needs. @throws DEPENDENCY_CIRCLE */
export function inDependencyOrder<Release extends { readonly record: Pick<ReleaseRecord, 'package' | 'needs'> }>(
  releases: readonly Release[],
): Release[] {
  const names = releases.map(({ record }) => record.package);
  const edges = releases.flatMap(({ record }, from) =>
    record.needs.flatMap((name) => {
      const to = names.indexOf(name);
      return to === -1
        ? []
        : [{ from, to, kind: 'run' as const, range: '', isReExported: false, accepts: () => true, takes: () => true }];
    }),
  );
  return orderByDependency(names, edges).flatMap((index) => releases[index] ?? []);
}

/** What is planned of one release at one destination: a delivery, or why there is none. */
export type PlannedRoute<Release> = {
  readonly release: Release;
  readonly destination: string;
  readonly config: DestinationConfig;
  /** Why it does not go there; null when it does. */
  readonly refusal: string | null;
};

/**
 * Where each release goes by the configuration of its package, in the order of the releases.
 * @param sendTo names of a package's destinations.
 * @throws UNCOMMITTED_REFUSED when something of a working tree would leave this machine.
 */
export function planRoutes<Release extends { readonly record: ReleaseRecord }>(
  releases: readonly Release[],
  sendTo: (packageName: string) => readonly string[],
  destinations: Readonly<Record<string, DestinationConfig>>,
): PlannedRoute<Release>[] {
  return releases.flatMap((release) =>
    sendTo(release.record.package).map((destination) => {
      const config = destinations[destination];
      if (config === undefined) throw new Error(`unchecked destination ${destination}`);
      const { record } = release;
      if (record.uncommitted && isRemote(config)) throw uncommittedRefused(record, destination);
      const refusal = record.uncommitted ? null : refusesRelease(config, record);
      return { release, destination, config, refusal };
    }),
  );
}

function uncommittedRefused({ package: name, version }: ReleaseRecord, destination: string): BevelstoneError {
  return new BevelstoneError('UNCOMMITTED_REFUSED', {
    message: `${destination} does not accept ${name} ${version}`,
    why: 'it was built from uncommitted files, so its contents cannot be traced',
    fix: 'Commit and build again, or deliver it to a folder',
  });
}
