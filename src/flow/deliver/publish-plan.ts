import type { DestinationConfig } from '../../core/config/config.ts';
import { destinationsOf } from '../../core/config/config.ts';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Form } from '../../core/name/form.ts';
import { isRemote } from '../../core/name/protocol.ts';
import { keptForms, planRoutes, takesForm } from '../../core/plan/delivery-plan.ts';
import type { ReleaseRecord } from '../../core/record/release-record.ts';
import type { Destination } from '../../destination/destination.ts';
import { readLocalTag, readRemoteTags } from '../../world/git/remote-tags.ts';
import { checkIdentity, currentBranch, type Repository, remoteOf } from '../../world/git/repository.ts';
import { type Context, warn } from '../context.ts';
import type { ReleaseFolder } from '../release-folder/built-release.ts';
import { parcelOf } from '../release-folder/parcel.ts';
import { openDestination } from '../workspace/open-destination.ts';
import type { Workspace } from '../workspace/workspace.ts';
import type { PlannedDelivery, Shipment } from './deliver.ts';

/** What is about to happen, for the question. */
export type PublishPlan = {
  readonly shipments: readonly Shipment[];
  readonly tagsToPush: readonly string[];
  readonly remote: string | null;
};

/** Which tags go out, and where to. */
export type TagPlan = {
  readonly remote: string | null;
  /** Tags that are missing on the remote and that this run makes and pushes. */
  readonly missing: readonly string[];
};

/** How tags are treated. */
export type TagOptions = { readonly tag: boolean; readonly dryRun: boolean };

/** Opens every destination that is needed and asks it about every artifact. One that can't be asked is a trouble, not an end. */
export async function planShipments(
  context: Context,
  {
    workspace,
    releases,
    ifNone = 'refuse',
  }: {
    readonly workspace: Workspace;
    readonly releases: readonly ReleaseFolder[];
    readonly ifNone?: 'refuse' | 'none-is-fine';
  },
): Promise<Shipment[]> {
  const opened = new Map<string, Destination>();
  const shipments: Shipment[] = [];
  for (const { release, destination: name, config, refusal } of planRoutes(
    releases,
    sendToOf(workspace),
    workspace.config.destinations,
  )) {
    if (refusal !== null) {
      const { package: packageName, version } = release.record;
      context.report({ type: 'skipped', what: `${packageName} ${version} to ${name}`, why: refusal });
      continue;
    }
    const destination =
      opened.get(name) ?? (await openDestination(context, { name, config, repository: workspace.repository }));
    opened.set(name, destination);
    const kept = keptForms(workspace.config.packages[release.record.package]);
    shipments.push(await planShipment(release, destination, { config, kept }));
  }
  if (shipments.length > 0 || ifNone === 'none-is-fine') return shipments;
  throw new BevelstoneError('NOTHING_TO_RELEASE', {
    message: 'no built package has a destination',
    why: 'none of them has a destination for this stream in `send-to`',
    fix: 'Add a destination to `send-to`, or this stream to `streams` of a destination, and commit bevelstone.yaml',
  });
}

/** Names of the destinations that a package is sent to. */
export function sendToOf({ packages }: Workspace): (packageName: string) => readonly string[] {
  return (packageName) => {
    const own = packages.find(({ name }) => name === packageName);
    return own === undefined ? [] : destinationsOf(own.config);
  };
}

/** What may be wrong with one destination while the others can do their part. */
const troubles = [
  'DESTINATION_UNREACHABLE',
  'DESTINATION_BUSY',
  'DESTINATION_ANSWER',
  'DESTINATION_REFUSED',
  'CREDENTIAL_REFUSED',
  'ORIGIN_UNTRUSTED',
] as const;

/** What of a release goes to a destination, and what is there already. @throws FORM_NOT_TAKEN */
export async function planShipment(
  release: ReleaseFolder,
  destination: Destination,
  { config, kept = new Set() }: { readonly config: DestinationConfig; readonly kept?: ReadonlySet<Form> },
): Promise<Shipment> {
  const { record } = release;
  const taken = [...record.artifacts, ...record.sboms].filter(({ form }) => takesForm(config, form) && !kept.has(form));
  if (!record.artifacts.some((artifact) => taken.includes(artifact))) throw notTaken(record, destination.name);
  const planned = await Promise.all(
    taken.map(async (artifact) => ({ artifact, parcel: await parcelOf(release, artifact), presence: null })),
  );
  const parcels = planned.map(({ parcel }) => parcel);
  const common = { release, destination, confirmForMs: config['confirm-for'], confirm: config.confirm };
  try {
    const deliveries: PlannedDelivery[] = [];
    for (const item of planned) deliveries.push({ ...item, presence: await destination.find(item.parcel, parcels) });
    return { ...common, deliveries, trouble: null };
  } catch (error) {
    if (!isBevelstoneError(error, ...troubles)) throw error;
    return { ...common, deliveries: planned, trouble: error };
  }
}

/** @throws DELIVERY_DIFFERS when a destination holds a version with other bytes. */
export function refuseDifferent(shipments: readonly Shipment[]): void {
  const different = shipments.flatMap(({ deliveries, ...shipment }) =>
    deliveries.flatMap(({ presence, artifact }) =>
      presence?.type === 'different' ? [{ ...shipment, artifact, why: presence.why }] : [],
    ),
  );
  const [first] = different;
  if (first === undefined) return;
  const { package: name, version } = first.release.record;
  throw new BevelstoneError('DELIVERY_DIFFERS', {
    message: `${first.destination.name} already has ${name} ${version} with different bytes`,
    why: first.why,
    fix: 'A published version cannot change: release a higher one. If the bytes should be identical, build the tagged commit with the same versions of Bevelstone and Node',
    problems:
      different.length < 2
        ? []
        : different.map(({ release, destination, artifact, why }) => ({
            code: 'DELIVERY_DIFFERS' as const,
            message: `${artifact.file} at ${destination.name}: ${why}`,
            fix: `Release ${release.record.package} with a higher version`,
            where: null,
          })),
  });
}

/** Whatever leaves this machine needs its tag on the remote (docs/design/release-run.md, "publish alone"). */
export async function planTags(
  context: Context,
  {
    repository,
    shipments,
    options,
  }: { readonly repository: Repository; readonly shipments: readonly Shipment[]; readonly options: TagOptions },
): Promise<TagPlan> {
  const { place } = repository;
  const remote = await remoteOf(place, await currentBranch(place));
  const records = [
    ...new Map(
      shipments
        .filter(({ destination, release }) => isRemote(destination) && release.record.stream.type !== 'preview')
        .map(({ release: { record } }) => [record.tag, record] as const),
    ).values(),
  ];
  if (records.length === 0) return { remote, missing: [] };
  if (remote === null) throw noRemote();
  const there = await readRemoteTags(
    place,
    remote,
    records.map(({ tag }) => tag),
  );
  const missing: string[] = [];
  for (const { tag, commit } of records) {
    const found = there.get(tag);
    if (found !== undefined && found.commit !== commit)
      throw tagElsewhere({ tag, where: `on ${remote}`, found: found.commit, wanted: commit });
    if (found !== undefined) {
      if (!found.isAnnotated) warn(context, lightweightNote(tag));
      continue;
    }
    const local = await readLocalTag(place, tag);
    if (local !== null && local.commit !== commit)
      throw tagElsewhere({ tag, where: 'here', found: local.commit, wanted: commit });
    if (local !== null && !local.isAnnotated) warn(context, lightweightNote(tag));
    missing.push(tag);
  }
  if (missing.length > 0 && !options.tag && !options.dryRun) throw notPushed(missing, remote);
  if (missing.length > 0 && !options.dryRun) await checkIdentity(place);
  if (missing.length > 0 && options.dryRun && !options.tag)
    warn(context, `${missing.join(', ')} must be on ${remote} first; --push-tag creates and pushes it`);
  return { remote, missing };
}

/** What is missing where a release has a tag without a message of its own. */
export function lightweightNote(tag: string): string {
  return `the tag ${tag} is lightweight: it does not record who released and when, and no plan can be checked against it`;
}

function notTaken({ package: name, artifacts }: ReleaseRecord, destination: string): BevelstoneError {
  const forms = artifacts.map(({ form }) => form).join(', ') || 'nothing';
  return new BevelstoneError('FORM_NOT_TAKEN', {
    message: `${destination} accepts no artifact of ${name}`,
    why: `forms of ${name}: ${forms}`,
    fix: 'Add an artifact of a form that it accepts, extend `takes`, or remove it from `send-to`',
    where: { file: 'bevelstone.yaml' },
  });
}

function noRemote(): BevelstoneError {
  return new BevelstoneError('REMOTE_MISSING', {
    message: 'no remote to push the tag to',
    why: 'others could not fetch the released commit',
    fix: 'Add the remote with git remote add, and push the branch',
  });
}

function notPushed(tags: readonly string[], remote: string): BevelstoneError {
  return new BevelstoneError('TAG_NOT_PUSHED', {
    message: `${remote} has no tag ${tags.join(', ')}`,
    why: 'the tag claims the version, so it must exist before any upload',
    fix: 'To create and push it first, run: bevelstone publish --push-tag',
  });
}

function tagElsewhere({
  tag,
  where,
  found,
  wanted,
}: {
  readonly tag: string;
  readonly where: string;
  readonly found: string;
  readonly wanted: string;
}): BevelstoneError {
  return new BevelstoneError('TAG_ELSEWHERE', {
    message: `the tag ${tag} ${where} points to ${found.slice(0, 7)}, but these artifacts were built from ${wanted.slice(0, 7)}`,
    why: 'a version always belongs to one commit',
    fix: 'Build the tagged commit, or release a higher version',
  });
}
