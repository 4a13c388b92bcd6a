import { randomBytes } from 'node:crypto';
import path from 'node:path';
import { type DestinationConfig, destinationsOf } from '../../core/config/config.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { isServed, layoutNamed } from '../../core/name/protocol.ts';
import { inDependencyOrder, keptForms, refusesRelease } from '../../core/plan/delivery-plan.ts';
import { protocolDefinitions } from '../../core/protocol/definitions.ts';
import type { Offer } from '../../core/protocol/offer.ts';
import { entriesIn } from '../../core/record/contents-list.ts';
import { aboutOf } from '../../core/record/event.ts';
import { type Standin, startStandin } from '../../standin/server.ts';
import { resolveCommit } from '../../world/git/repository.ts';
import { makeBareRepository } from '../../world/git/tree-repository.ts';
import { closeConnections } from '../../world/http.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { processorCount } from '../../world/platform.ts';
import { releaseNeeds } from '../artifact/release-needs.ts';
import { runInOrder } from '../build/schedule.ts';
import { type Context, during, type ProgressEvent, warn } from '../context.ts';
import { type Delivery, deliverShipments, type Shipment } from '../deliver/deliver.ts';
import { planShipment } from '../deliver/publish-plan.ts';
import { builtReleases, type ReleaseFolder, requireContentsIn } from '../release-folder/built-release.ts';
import { type InstalledPlaces, type LearntFact, noteFacts } from '../sbom/installed-facts.ts';
import { dependencyFilesAt, packageDependencies } from '../sbom/sbom-dependencies.ts';
import { openDestination, readerUrl } from '../workspace/open-destination.ts';
import { openContext, type Package, readWorkspace, type Workspace } from '../workspace/workspace.ts';
import type { Wanted } from './client/client.ts';
import { clientFor } from './client/clients.ts';
import { earlierReleases } from './earlier-releases.ts';
import { gitClients } from './git/clients.ts';
import { rehearseFromGit } from './git/rehearse-git.ts';
import { installedFindings } from './installed-rules.ts';
import { hasUpstream, outsideNames, standinUpstreams } from './outside.ts';
import { trySources } from './source-trial.ts';
import { standinAddress } from './standin.ts';
import { runsOf, type TrialStep, trialsFor, tryOut } from './trial.ts';

/** What came of one release. */
export type TriedRelease = {
  readonly package: string;
  readonly version: string;
  readonly steps: readonly TrialStep[];
  /** What the registries' documents said of what was installed along; nothing where none was read. */
  readonly learnt?: readonly LearntFact[];
};

/** The answer of `rehearse`. */
export type Rehearsal = {
  readonly releases: readonly TriedRelease[];
  /** Installs of all packages in one environment; only when asked for. */
  readonly everyone: readonly TrialStep[];
  readonly error: BevelstoneError | null;
};

/** What a rehearsal said of third-party packages, by the release that needs them; releases that it said nothing for are left out. */
export function learntBy(rehearsal: Rehearsal | null): ReadonlyMap<string, readonly LearntFact[]> {
  const learnt = (rehearsal?.releases ?? []).map((tried) => [tried.package, tried.learnt ?? []] as const);
  return new Map(learnt.filter(([, facts]) => facts.length > 0));
}

/** Names of the environment in which a rehearsal's own token lies. */
const tokenName = 'BEVELSTONE_REHEARSAL_TOKEN';

/**
 * Delivers what was built to stand-ins that live only as long as this takes, then installs it from them by name with the
 * ecosystem's own clients, in empty folders, and runs the trial commands: what a new user would see, before any upload.
 * @throws RELEASE_NOT_BUILT, CONFIG_INVALID.
 */
export async function rehearse(context: Context, { everyone, source, git }: RehearseOptions): Promise<Rehearsal> {
  const repository = await openContext(context);
  const commit = await resolveCommit(repository.place, 'HEAD');
  const workspace = await readWorkspace(context, { repository, commit, source: 'commit' });
  const built = await builtReleases(context, workspace, commit);
  return source
    ? rehearseSources(context, { workspace, built })
    : rehearseReleases(context, { workspace, built, everyone, git });
}

/** What else than single installs is rehearsed. */
export type RehearseOptions = {
  /** Whether all packages are installed together, too. */
  readonly everyone: boolean;
  /** Whether releases are built from their source archives instead. */
  readonly source: boolean;
  /** Whether releases are installed from git, too. */
  readonly git: boolean;
};

/** Builds every release from its source archives, as those do who never see the repository. */
async function rehearseSources(
  context: Context,
  { workspace, built }: { readonly workspace: Workspace; readonly built: readonly ReleaseFolder[] },
): Promise<Rehearsal> {
  const releases = await atOnce(context, inDependencyOrder(built), async (inside, release) => {
    const what = `build ${release.record.package} ${release.record.version} from its sources`;
    const steps = await during(inside, what, () => trySources(inside, workspace.repository.commonFolder, release));
    for (const step of steps) if (step.state !== 'installed') reportStep(inside, `${what} with ${step.client}`, step);
    return { package: release.record.package, version: release.record.version, steps };
  });
  return rehearsalOf(releases, []);
}

/** The same with releases that lie anywhere. */
export async function rehearseReleases(
  context: Context,
  {
    workspace,
    built,
    everyone,
    git = false,
  }: {
    readonly workspace: Workspace;
    readonly built: readonly ReleaseFolder[];
    readonly everyone: boolean;
    readonly git?: boolean;
  },
): Promise<Rehearsal> {
  const releases = inDependencyOrder(built);
  const own = await makeOwnFolder(workspace.repository.commonFolder, 'rehearsal');
  const top = own.folder;
  const token = randomBytes(18).toString('hex');
  context.secrets.add(token);
  const upstream = standinUpstreams(context, 'rehearse.upstream', workspace.config.rehearse.upstream);
  const standin = await startStandin({
    port: 0,
    store: path.join(top, 'store'),
    tokens: [{ secret: token, may: 'write', user: 'rehearsal', only: null }],
    now: context.now,
    upstream,
  });
  // Its own token, for its own stand-in: no question is needed.
  const trust = { ...context.trust, isConfigTrusted: true };
  const inside: Context = { ...context, env: { ...context.env, [tokenName]: token }, trust };
  try {
    const place = { standin, top };
    const earlier = await earlierReleases(context, { workspace, releases, top: path.join(top, 'earlier') });
    await deliverToStandins(inside, { workspace, releases: earlier.folders, place });
    const stage = await deliverToStandins(inside, { workspace, releases, place });
    const tried = await tryAll(inside, { workspace, stage, everyone, missing: earlier.missing });
    return git ? await withGit(inside, tried, { workspace, stage, top: path.join(top, 'git') }) : tried;
  } finally {
    await standin.close();
    await closeConnections();
    await own.remove();
  }
}

/** One release at one stand-in. */
type Rehearsed = {
  readonly release: ReleaseFolder;
  readonly own: Package;
  readonly destination: string;
  readonly config: DestinationConfig;
  readonly url: string;
  readonly deliveries: readonly Delivery[];
  /** Where readers of the real destinations would look, and where they look now. */
  readonly moved: Wanted['moved'];
};

async function deliverToStandins(
  context: Context,
  {
    workspace,
    releases,
    place,
  }: {
    readonly workspace: Workspace;
    readonly releases: readonly ReleaseFolder[];
    readonly place: { readonly standin: Standin; readonly top: string };
  },
): Promise<Rehearsed[]> {
  const shipments: { shipment: Shipment; own: Package; config: DestinationConfig; name: string }[] = [];
  for (const release of releases) {
    const own = workspace.packages.find(({ name }) => name === release.record.package);
    for (const name of own === undefined ? [] : destinationsOf(own.config)) {
      const config = workspace.config.destinations[name];
      if (own === undefined || config === undefined || refusesRelease(config, release.record) !== null) continue;
      const elsewhere = redirected(config, name, place);
      if (protocolDefinitions[config.speaks].usesGit) await makeBareRepository(elsewhere.url, context);
      const destination = await openDestination(context, { name, config: elsewhere, repository: workspace.repository });
      const shipment = await planShipment(release, destination, { config: elsewhere, kept: keptForms(own.config) });
      shipments.push({ shipment, own, config: elsewhere, name });
    }
  }
  if (shipments.length === 0) return [];
  const what = 'deliver to throw-away stand-ins';
  context.report({ type: 'started', what });
  const results = await deliverShipments(
    { ...context, report: (event) => reportFailures(context, event) },
    shipments.map(({ shipment }) => shipment),
    { writer: null, isRecorded: () => true },
  );
  const count = [...results.values()].flat().length;
  context.report({
    type: 'finished',
    what,
    detail: `${count} ${count === 1 ? 'delivery' : 'deliveries'}, nothing leaves this machine`,
  });
  const { root } = workspace.repository;
  const urls = new Map(shipments.map(({ config, name }) => [name, readerUrl(context, { name, config, root })]));
  const moved = [...urls].flatMap(([name, to]) => {
    const real = workspace.config.destinations[name];
    if (real === undefined) return [];
    const { client } = protocolDefinitions[real.speaks];
    return [{ client, from: readerUrl(context, { name, config: real, root }), to }];
  });
  return shipments.map(({ shipment, own, config, name }) => ({
    release: shipment.release,
    own,
    destination: name,
    config,
    url: urls.get(name) ?? '',
    deliveries: results.get(shipment) ?? [],
    moved: moved.filter(({ client }) => client === protocolDefinitions[config.speaks].client),
  }));
}

/** A delivery to a stand-in must never look like a real one; only failures are reported one by one. */
function reportFailures(context: Context, event: ProgressEvent): void {
  if (event.type === 'failed') context.report({ ...event, what: `${event.what}'s stand-in` });
  else if (event.type === 'warning' || event.type === 'note') context.report(event);
}

/** The same destination, but at the stand-in, with the rehearsal's own token. */
function redirected(
  config: DestinationConfig,
  name: string,
  { standin, top }: { readonly standin: Standin; readonly top: string },
): DestinationConfig {
  const own = {
    'index-url': null,
    'one-time': null,
    'confirm-for': 30_000,
    'also-trusts': [],
    confirm: 'now',
    keep: null,
  } as const;
  const { speaks } = config;
  if (!isServed(speaks)) return { ...config, ...own, credential: 'none', url: path.join(top, 'folders', name) };
  const reference = `env:${tokenName}`;
  const credential = protocolDefinitions[speaks].usesAccessKeys
    ? { 'access-key': reference, 'secret-key': reference }
    : reference;
  const url = standinAddress(standin, speaks, config);
  // A layout is the same at any store, and clients read it by HTTP.
  const over = layoutNamed(speaks) === null ? config.over : 'http-put';
  return { ...config, ...own, over, credential, url, 'path-style': true, 'make-bucket': true };
}

async function tryAll(
  context: Context,
  {
    workspace,
    stage,
    everyone,
    missing,
  }: {
    readonly workspace: Workspace;
    readonly stage: readonly Rehearsed[];
    readonly everyone: boolean;
    readonly missing: ReadonlyMap<string, string>;
  },
): Promise<Rehearsal> {
  const releases = new Map<string, TriedRelease>();
  const usualSeconds = ({ config }: Rehearsed) => clientFor(config.speaks).usualSeconds;
  const slowestFirst = [...stage].sort((a, b) => usualSeconds(b) - usualSeconds(a));
  const tried = await atOnce(context, slowestFirst, async (inside, rehearsed) => {
    const learnt: LearntFact[] = [];
    const steps = await tryOne(inside, { workspace, missing, learnt }, rehearsed);
    return { rehearsed, steps, learnt };
  });
  // In the order in which they were planned, whatever took how long.
  tried.sort((a, b) => stage.indexOf(a.rehearsed) - stage.indexOf(b.rehearsed));
  for (const { rehearsed, steps, learnt } of tried) {
    const { package: name, version } = rehearsed.release.record;
    const before = releases.get(name);
    releases.set(name, {
      package: name,
      version,
      steps: [...(before?.steps ?? []), ...steps],
      learnt: [...(before?.learnt ?? []), ...learnt],
    });
  }
  const together = everyone ? await tryEveryone(context, stage, workspace.repository.commonFolder) : [];
  return rehearsalOf([...releases.values()], together);
}

/** Tries all of them, as many at the same time as there are cores: each in folders of its own. @returns what came of each, in their order. */
async function atOnce<Item, Done>(
  context: Context,
  items: readonly Item[],
  work: (context: Context, item: Item) => Promise<Done>,
): Promise<Done[]> {
  const schedule = { order: [...items.keys()], needs: () => [], jobs: processorCount() };
  const done = await runInOrder(schedule, async (index, failed) => {
    const signal = AbortSignal.any([context.signal, failed]);
    return work({ ...context, signal }, items[index] as Item);
  });
  return schedule.order.map((index) => done.get(index) as Done);
}

/** What was tried, with the error for what failed of it. */
function rehearsalOf(releases: readonly TriedRelease[], everyone: readonly TrialStep[]): Rehearsal {
  const failed = [
    ...releases.flatMap(({ package: name, version, steps }) =>
      steps.map((step) => ({ ...step, what: `${name} ${version}` })),
    ),
    ...everyone.map((step) => ({ ...step, what: 'all packages together' })),
  ].filter(({ state }) => state === 'failed');
  return { releases, everyone, error: failed.length === 0 ? null : trialFailed(failed) };
}

/** A rehearsal with installs from git beside it: what else they need comes from the stand-ins. */
async function withGit(
  context: Context,
  { releases, everyone }: Rehearsal,
  {
    workspace,
    stage,
    top,
  }: { readonly workspace: Workspace; readonly stage: readonly Rehearsed[]; readonly top: string },
): Promise<Rehearsal> {
  const packages = new Map(stage.map(({ own, release }) => [own.name, { pkg: own, release }]));
  const wanted = [...packages.values()].map((one) => {
    const client = gitClients[one.pkg.ecosystem]?.client.name;
    const index = stage.find(({ config }) => protocolDefinitions[config.speaks].client === client)?.url ?? null;
    return { ...one, index };
  });
  const steps = await rehearseFromGit(context, workspace, { releases: wanted, top });
  const all = releases.map((one) => ({ ...one, steps: [...one.steps, ...(steps.get(one.package) ?? [])] }));
  return rehearsalOf(all, everyone);
}

async function tryOne(
  context: Context,
  {
    workspace,
    missing,
    learnt,
  }: {
    readonly workspace: Workspace;
    readonly missing: ReadonlyMap<string, string>;
    /** Gets what installs said of other packages. */
    readonly learnt: LearntFact[];
  },
  rehearsed: Rehearsed,
): Promise<TrialStep[]> {
  const { config, packages, repository } = workspace;
  const { release, own, destination, deliveries } = rehearsed;
  const client = clientFor(rehearsed.config.speaks);
  const lost = deliveries.find(({ state }) => state !== 'delivered' && state !== 'already-there');
  if (lost !== undefined)
    return [
      {
        client: client.name,
        version: '',
        destination,
        state: 'failed',
        why: `${lost.artifact} could not be delivered: ${lost.why}`,
      },
    ];
  const outside = outsideNames(own, packages);
  const absent = [...missing].filter(([name]) => needsName(own, packages, name));
  const hasPlace = hasUpstream(config.rehearse.upstream, rehearsed.config.speaks);
  if ((outside.length > 0 || absent.length > 0) && client.installsByName && !hasPlace) {
    const why =
      absent.length > 0
        ? `not rehearsed: it needs ${absent.map(([name, reason]) => `${name} (${reason})`).join(', ')}`
        : `not rehearsed: ${outside.join(', ')} ${outside.length === 1 ? 'comes' : 'come'} from elsewhere, and \`rehearse.upstream\` names no place`;
    if (!config.rehearse.required) warn(context, `${own.name}: ${why}`);
    return [
      { client: client.name, version: '', destination, state: config.rehearse.required ? 'failed' : 'not-here', why },
    ];
  }
  const wanted = wantedFrom(rehearsed);
  const needsOf = releaseNeeds(context, workspace);
  const list = await requireContentsIn(release.folder);
  const steps: TrialStep[] = [];
  for (const trial of trialsFor(own.config.trial, wanted)) {
    const what = `install ${own.name} ${release.record.version} from ${destination} with ${trial.client.name}${trial.version === null ? '' : ` ${trial.version}`}`;
    context.report({ type: 'started', what });
    const step = await tryOut(context, trial, {
      wanted: [wanted],
      entriesOf: async (artifact) => entriesIn(list, artifact),
      commonFolder: repository.commonFolder,
      outside,
      inspect: async (places, trees) => {
        learnt.push(...(await factsOf(context, { workspace, release, places })));
        return inspect(context, { workspace, release, needsOf, places, trees });
      },
    });
    reportStep(context, what, step);
    steps.push(step);
  }
  return steps;
}

/** What an install says of the packages that a release needs. */
async function factsOf(
  context: Context,
  {
    workspace,
    release: { record },
    places,
  }: { readonly workspace: Workspace; readonly release: ReleaseFolder; readonly places: InstalledPlaces },
): Promise<LearntFact[]> {
  const { installed, learnt } = noteFacts(places);
  const files = await dependencyFilesAt(context, workspace, record.commit);
  packageDependencies({ workspace, files, name: record.package, versions: new Map(), root: 'release', installed });
  return learnt();
}

/** Runs the rules over what was installed: what refuses is what is wrong, the rest is a warning. */
async function inspect(context: Context, installed: Parameters<typeof installedFindings>[1]): Promise<string | null> {
  const findings = await installedFindings(context, installed);
  const refused = findings.filter(({ severity }) => severity === 'refuse');
  for (const { message, rule } of findings.filter(({ severity }) => severity === 'warn'))
    warn(context, `${installed.release.record.package}: ${message} [${rule}]`);
  return refused.length === 0 ? null : refused.map(({ message, rule }) => `${message} [${rule}]`).join('; ');
}

/** Tells how a trial ended. */
export function reportStep(context: Context, what: string, { state, why, version }: TrialStep): void {
  if (state === 'failed') context.report({ type: 'failed', what, why: why ?? '' });
  else if (state === 'not-here') context.report({ type: 'skipped', what, why: why ?? '' });
  else context.report({ type: 'finished', what, detail: version });
}

/** All packages of a client in one environment: what a user has who wants several of them. */
async function tryEveryone(context: Context, stage: readonly Rehearsed[], commonFolder: string): Promise<TrialStep[]> {
  const steps: TrialStep[] = [];
  const groups = new Map<string, Rehearsed[]>();
  for (const rehearsed of stage) {
    const client = clientFor(rehearsed.config.speaks);
    const isComplete = rehearsed.deliveries.every(({ state }) => state === 'delivered' || state === 'already-there');
    const key = `${client.name} ${rehearsed.url}`;
    if (client.installsByName && isComplete) groups.set(key, [...(groups.get(key) ?? []), rehearsed]);
  }
  for (const group of groups.values()) {
    const [first] = group;
    if (first === undefined || group.length < 2) continue;
    const client = clientFor(first.config.speaks);
    const what = `install all packages with ${client.name}`;
    context.report({ type: 'started', what });
    const run = group.flatMap(({ own }) => runsOf(own.config.trial.filter((trial) => trial.client === null)));
    const input = { wanted: group.map(wantedFrom), entriesOf: async () => null, commonFolder, outside: [] };
    const step = await tryOut(context, { client, version: null, run }, input);
    reportStep(context, what, step);
    steps.push(step);
  }
  return steps;
}

/** What a client gets: a release as the ledger would record it. */
function wantedFrom({ release: { record }, destination, config, url, deliveries, moved }: Rehearsed): Wanted {
  const { package: name, version, commit, source, tag, artifacts, sboms } = record;
  const release: LedgerRelease = {
    package: name,
    version,
    commit,
    source,
    tag,
    date: '',
    about: aboutOf(record),
    contents: '',
    artifacts: [...artifacts, ...sboms],
    deliveries: [],
    run: '',
    destinations: [destination],
    isAbandoned: false,
    withdrawals: [],
    reasons: [],
    deployments: [],
    partials: [],
    redirects: [],
    isVouched: true,
    replanned: [],
    planned: [],
  };
  const delivered: Offer['delivered'] = deliveries.flatMap(({ artifact, address, sha256 }) => {
    const found = release.artifacts.find(({ file }) => file === artifact);
    if (found === undefined || address === null) return [];
    return [
      {
        destination,
        artifact,
        state: 'delivered' as const,
        confirmed: 'bytes' as const,
        address,
        sha256,
        isContradicted: false,
        record: found,
      },
    ];
  });
  const offer = { destination, config, url, release, delivered };
  // Its stand-in asks further itself.
  return { offer, credential: { type: 'none' }, upstream: null, moved, files: null };
}

/** Whether a package needs another one of the workspace, directly or by others. */
function needsName(own: Package, packages: readonly Package[], name: string): boolean {
  // A package that needs itself by others was looked at.
  const rest = packages.filter((pkg) => pkg !== own);
  return (own.manifest?.dependencies ?? []).some(({ name: needed, kind }) => {
    if (kind === 'development') return false;
    const to = rest.find(({ fullName, ecosystem }) => fullName === needed && ecosystem === own.ecosystem);
    return needed === name || (to !== undefined && needsName(to, rest, name));
  });
}

function trialFailed(failed: readonly (TrialStep & { readonly what: string })[]): BevelstoneError {
  const lines = failed.map(
    ({ what, client, destination, why }) => `${what} with ${client} from ${destination}: ${why}`,
  );
  return new BevelstoneError('TRIAL_FAILED', {
    message:
      failed.length === 1
        ? 'a new user could not install or use this'
        : `a new user could not install or use this in ${failed.length} cases`,
    why: lines.join('\n'),
    fix: 'Fix the package, then build and rehearse again; nothing was uploaded',
  });
}
