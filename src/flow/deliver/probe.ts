import type { DestinationConfig } from '../../core/config/config.ts';
import { destinationsOf } from '../../core/config/config.ts';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { refusesRelease } from '../../core/plan/delivery-plan.ts';
import { protocolDefinitions } from '../../core/protocol/definitions.ts';
import { packageRight, theAddress, writePermission } from '../../core/protocol/untested.ts';
import type { Destination } from '../../destination/destination.ts';
import type { Access, Asking, NameState, Subject } from '../../store/parcel.ts';
import { closeConnections } from '../../world/http.ts';
import { keepCredential } from '../../world/kept-credentials.ts';
import type { Context } from '../context.ts';
import { readLedger } from '../ledger-record/ledger.ts';
import { destinationNamed, standingDeliveries } from '../release-folder/recorded-release.ts';
import { plainSurvey, type Survey, surveyWorkspace } from '../survey/survey.ts';
import { openDestination } from '../workspace/open-destination.ts';
import { ensureTrust, originsFor } from '../workspace/trust.ts';
import type { Workspace } from '../workspace/workspace.ts';

/** What is asked. */
export type ProbeOptions = {
  /** Names of destinations; empty for all that packages are sent to. */
  readonly destinations: readonly string[];
  /** Name under which a credential that worked is kept; null to keep none. */
  readonly keep: string | null;
  /** Whether `probe: write` is followed; a dry run never writes. */
  readonly mayWrite: boolean;
  /** Whether servers are asked for what else the credential may write to. */
  readonly lists: boolean;
};

/** One package at one destination. */
export type ProbedPackage = {
  readonly name: string;
  /** Null when there is nothing to release. */
  readonly version: string | null;
  readonly nameState: NameState['nameState'];
  readonly versionState: NameState['versionState'];
  readonly why: string | null;
  readonly opens: Access['opens'];
};

/** What a destination answered. */
export type ProbedDestination = {
  readonly name: string;
  readonly speaks: string;
  readonly url: string;
  readonly reachable: boolean;
  readonly credential: Access['credential'] | 'missing';
  readonly why: string | null;
  /** Whether the permission to write was tested. */
  readonly write: 'tested' | 'not-tested';
  /** What could not be tested, such as `write permission`. */
  readonly untested: readonly string[];
  /** Name and version of the server, where it says. */
  readonly server: string | null;
  /** Repositories, buckets or packages there, where the server lists them. */
  readonly repositories: readonly string[];
  /** How far its clock is ahead, in milliseconds; null when it does not tell. */
  readonly skewMs: number | null;
  readonly packages: readonly ProbedPackage[];
};

/** The answer of `probe`. */
export type Probe = {
  readonly destinations: readonly ProbedDestination[];
  /** File in which the credential was kept. */
  readonly kept: string | null;
  /** Set when something would stand in the way of a release. */
  readonly error: BevelstoneError | null;
};

/**
 * Asks destinations, all at the same time, whether a release could go there: reachable, credential accepted, names and
 * versions free. Changes nothing over there.
 * @throws CONFIG_UNKNOWN_REFERENCE, CONFIG_INVALID, whatever refuses a survey.
 */
export async function probeDestinations(context: Context, options: ProbeOptions): Promise<Probe> {
  return probeSurveyed(context, await surveyWorkspace(context, plainSurvey), options);
}

/** The same for what a survey gives. */
export async function probeSurveyed(context: Context, survey: Survey, options: ProbeOptions): Promise<Probe> {
  const { workspace } = survey;
  const ledger = await readLedger(context, workspace.repository);
  const used = survey.packages.flatMap(({ own }) => destinationsOf(own.config));
  const all = Object.keys(workspace.config.destinations).filter((name) => used.includes(name));
  const names = options.destinations.length > 0 ? options.destinations : all;
  if (options.keep === null) await ensureTrust(context, workspace, names);
  const secret = options.keep === null ? null : await secretFor(context, { probeOptions: options, workspace, names });
  // What was typed in for this destination goes there, and nothing else does.
  const asked: Context =
    secret === null
      ? context
      : {
          ...context,
          env: { ...context.env, BEVELSTONE_KEPT: secret },
          trust: { ...context.trust, isConfigTrusted: true },
        };
  const given: Partial<DestinationConfig> =
    secret === null ? {} : { credential: 'env:BEVELSTONE_KEPT', 'one-time': null };
  try {
    const destinations = await Promise.all(
      names.map((name) => {
        const config = { ...destinationNamed(workspace, name), ...given };
        const { mayWrite, lists } = options;
        return probeOne(asked, {
          name,
          config,
          survey,
          ledger,
          asking: { mayWrite: mayWrite && config.probe === 'write', lists },
        });
      }),
    );
    const error = problemsOf(destinations);
    const isRefused = destinations.some(({ credential, reachable }) => credential === 'refused' || !reachable);
    const keeps = secret !== null && options.keep !== null && !isRefused;
    const kept = keeps
      ? await keepFor(context, { workspace, destinations: names, kept: { name: options.keep ?? '', secret } })
      : null;
    return { destinations, kept, error };
  } finally {
    await closeConnections();
  }
}

/** The credential to try and keep: asked for, or piped in; never an argument. @throws USAGE, CREDENTIAL_MISSING */
async function secretFor(
  context: Context,
  {
    probeOptions: { keep },
    workspace,
    names,
  }: { readonly probeOptions: ProbeOptions; readonly workspace: Workspace; readonly names: readonly string[] },
): Promise<string> {
  const [name = ''] = names;
  if (names.length !== 1) {
    throw new BevelstoneError('USAGE', {
      message: '--keep needs exactly one destination',
      why: `a credential is kept after one destination accepted it; ${names.length} destinations are selected`,
      fix: `Run: bevelstone probe DESTINATION --keep ${keep}`,
    });
  }
  const origins = [...originsFor(context, name, destinationNamed(workspace, name))].join(' and ');
  const secret = await context.askSecret(`Credential for ${name} at ${origins}, to be kept as ${keep}`, 'or-input');
  if (secret === null) {
    throw new BevelstoneError('CREDENTIAL_MISSING', {
      message: 'no credential to keep',
      why: 'no credential was typed or passed on standard input',
      fix: `Run it in a terminal, or pipe the credential in: bevelstone probe ${names[0]} --keep ${keep} < FILE`,
    });
  }
  context.secrets.add(secret);
  return secret;
}

/** Keeps a credential for the origins that just took it. @returns the file. */
async function keepFor(
  context: Context,
  {
    workspace,
    destinations: [destination = ''],
    kept: { name, secret },
  }: {
    readonly workspace: Workspace;
    readonly destinations: readonly string[];
    readonly kept: { readonly name: string; readonly secret: string };
  },
): Promise<string> {
  const origins = originsFor(context, destination, destinationNamed(workspace, destination));
  return keepCredential(name, { secret, origins }, context.env);
}

type Question = {
  readonly name: string;
  readonly config: DestinationConfig;
  readonly survey: Survey;
  readonly ledger: readonly LedgerRelease[];
  readonly asking: Asking;
};

const nothingAnswered = {
  write: 'not-tested',
  untested: [],
  server: null,
  repositories: [],
  skewMs: null,
  packages: [],
} as const;

async function probeOne(context: Context, question: Question): Promise<ProbedDestination> {
  const { name, config, survey } = question;
  const what = `probe ${name}`;
  context.report({ type: 'started', what });
  const blank = { name, speaks: config.speaks, url: config.url, ...nothingAnswered };
  try {
    const destination = await openDestination(context, { name, config, repository: survey.workspace.repository });
    const found = await askAll(destination, question);
    const first = found[0]?.access ?? (await destination.access(anySubject(config), question.asking));
    const all = found.length > 0 ? found.map(({ access }) => access) : [first];
    const refusal = all.find(({ credential }) => credential === 'refused') ?? first;
    const untested = [...new Set(all.flatMap((access) => access.untested))];
    context.report({ type: 'finished', what });
    return {
      ...blank,
      url: destination.url,
      reachable: true,
      credential: refusal.credential,
      why: refusal.why,
      write:
        refusal.credential !== 'refused' && !untested.includes(writePermission) && !untested.includes(packageRight)
          ? 'tested'
          : 'not-tested',
      untested,
      server: first.server,
      repositories: first.places,
      skewMs: first.skewMs,
      packages: found.map(({ probed }) => probed),
    };
  } catch (error) {
    if (!isBevelstoneError(error)) throw error;
    const why = `${error.message}: ${error.why}`;
    context.report({ type: 'failed', what, why });
    const isRefused = isBevelstoneError(error, 'CREDENTIAL_REFUSED');
    const isMissing = isBevelstoneError(error, 'CREDENTIAL_MISSING', 'CREDENTIAL_UNSAFE', 'CREDENTIAL_KIND');
    return {
      ...blank,
      reachable: isRefused,
      credential: isRefused ? 'refused' : isMissing ? 'missing' : 'unknown',
      why,
    };
  }
}

/** Something to ask about where no package goes. */
function anySubject({ speaks, snapshots }: DestinationConfig): Subject {
  const { sampleName } = protocolDefinitions[speaks];
  const spellings = { maven: snapshots ? '0.0.0-SNAPSHOT' : '0.0.0' };
  return { packageName: 'probe', name: sampleName, version: '0.0.0', spellings };
}

/** Asks about every package that goes there. */
async function askAll(
  destination: Destination,
  { name, config, survey, ledger, asking }: Question,
): Promise<{ access: Access; probed: ProbedPackage }[]> {
  const found: { access: Access; probed: ProbedPackage }[] = [];
  for (const surveyed of survey.packages) {
    const { own, next, spellings } = surveyed;
    if (!destinationsOf(own.config).includes(name)) continue;
    if (next !== null && refusesRelease(config, { stream: survey.stream, spellings }) !== null) continue;
    const version = next ?? surveyed.last?.version ?? '0.0.0';
    const subject = { packageName: own.name, name: own.fullName, version, spellings };
    const asked = await destination.access(subject, asking);
    const { nameState, versionState, why } =
      asked.credential === 'refused' ? unknownName : await destination.nameState(subject);
    const standing = ledger.filter((release) => release.package === own.name && standingDeliveries(release).has(name));
    const isOurs = standing.length > 0;
    const access = await knownAddress(destination, { access: asked, subject, standing });
    const probed = {
      name: own.name,
      version: next,
      nameState: isOurs && nameState === 'unknown' ? ('ours' as const) : nameState,
      versionState: next === null ? ('unknown' as const) : versionState,
      why,
      opens: access.opens,
    };
    found.push({ access, probed });
  }
  return found;
}

/** A credential that is refused is not asked further. */
const unknownName = { nameState: 'unknown', versionState: 'unknown', why: null } as const;

/** An address where an earlier release lies is the right one, although the server does not say that anything is there. */
async function knownAddress(
  destination: Destination,
  {
    access,
    subject,
    standing,
  }: { readonly access: Access; readonly subject: Subject; readonly standing: readonly LedgerRelease[] },
): Promise<Access> {
  const last = standing.at(-1);
  const delivered = last === undefined ? undefined : standingDeliveries(last).get(destination.name)?.[0];
  if (!access.untested.includes(theAddress) || last === undefined || delivered === undefined) return access;
  const { version, about } = last;
  const { artifact: fileName, sha256 } = delivered;
  const parcel = { ...subject, version, spellings: about.spellings, fileName, sha256 };
  const isThere = (await destination.isListed(parcel).catch(() => false)) === true;
  return isThere ? { ...access, untested: access.untested.filter((what) => what !== theAddress) } : access;
}

/** Everything that would stand in the way, at once. */
function problemsOf(destinations: readonly ProbedDestination[]): BevelstoneError | null {
  const problems = destinations.flatMap(({ name, reachable, credential, why, packages }) => [
    ...(reachable ? [] : [`${name} could not be asked: ${why}`]),
    ...(reachable && (credential === 'refused' || credential === 'missing') ? [`${name}: ${why}`] : []),
    ...packages.flatMap((pkg) => [
      ...(pkg.nameState === 'taken' ? [`the name ${pkg.name} is taken at ${name}: ${pkg.why}`] : []),
      ...(pkg.versionState === 'there' ? [`${pkg.name} ${pkg.version} is at ${name} already`] : []),
    ]),
  ]);
  if (problems.length === 0) return null;
  return new BevelstoneError('PROBE_FAILED', {
    message:
      problems.length === 1
        ? 'One thing stands in the way of a release'
        : `${problems.length} things stand in the way of a release`,
    why: problems.join('\n'),
    fix: 'Fix this with the destination, then probe again; nothing was changed',
  });
}
