import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import { fileNameOf } from '../../core/form/placeholder.ts';
import type { FromSource, SourceInput } from '../../core/form/source-archive/from-source.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { consumerLines, setUpLines } from '../../core/protocol/consumer-line.ts';
import { checkLine } from '../../core/protocol/fetch-lines.ts';
import type { ConsumerLine, Offer } from '../../core/protocol/offer.ts';
import { gitLines } from '../../core/source/git-lines.ts';
import { archiveOrigin, gitOrigin, sourceBlock } from '../../core/source/source-block.ts';
import { commitTime, type Repository } from '../../world/git/repository.ts';
import { gitLine } from '../../world/git/run-git.ts';
import type { Context } from '../context.ts';
import { inputsAt } from '../inputs/inputs-at.ts';
import { whyUnverified } from '../ledger-record/vouched.ts';
import { cloneAddress } from '../workspace/clone-address.ts';
import { packageSource } from '../workspace/package-source.ts';
import { type Package, readWorkspace } from '../workspace/workspace.ts';
import { type OfferPlace, shownAddress } from './shown-address.ts';

/** How others get the sources of a release and build them. */
export type ReleaseSource = {
  /** Where people clone the repository; null where no address is known that others have too. */
  readonly repository: string | null;
  readonly commit: string;
  readonly tree: string;
  readonly tag: string;
  /** Folder of the package in the repository. */
  readonly folder: string;
  readonly archives: readonly SourceArchive[];
  readonly inputs: FromSource['inputs'];
  readonly steps: FromSource['steps'];
  readonly tools: FromSource['tools'];
  readonly needs: FromSource['needs'];
  /** Blocks and lines to paste. */
  readonly lines: readonly ConsumerLine[];
  /** What there is no line for, and why. */
  readonly without: readonly { readonly method: string; readonly why: string }[];
};

/** A source archive at a destination. */
export type SourceArchive = {
  readonly destination: string;
  readonly file: string;
  readonly address: string;
  readonly sha256: string;
  /** Subresource Integrity §3.1: the digest in base64. */
  readonly sri: string;
};

/** A release, where it was released from, and the address that people clone that from; null for that of `origin`. */
export type SourceSearch = {
  readonly repository: Repository;
  readonly address: string | null;
  readonly release: LedgerRelease;
  readonly offers: readonly Offer[];
};

/**
 * Lines and blocks that build a release from its sources: from each place that has its source archive, and from git.
 * @throws GIT_FAILED where the commit of the release is not in this clone, PACKAGE_NOT_FOUND.
 */
export async function releaseSource(context: Context, search: SourceSearch): Promise<ReleaseSource> {
  const { repository, release, offers } = search;
  const { commit, tag, version } = release;
  const { packages } = await readWorkspace(context, { repository, commit, source: 'commit' });
  const pkg = packages.find(({ name }) => name === release.package);
  if (pkg === undefined) throw notThere(release);
  const [time, tree] = await Promise.all([
    commitTime(repository.place, commit),
    gitLine(repository.place, ['rev-parse', `${commit}^{tree}`]),
  ]);
  const inputs = await inputsAt(repository.place, commit, pkg);
  const source = packageSource(pkg, { version, commit, time, folder: pkg.folder, inputs, release: notAsked });
  const archived = offers.flatMap((offer) => archivesOf(context, { offer, root: repository.root }));
  const fromGit = await gitBlocks(source, { ...search, tree });
  const { steps, tools, needs } = source;
  return {
    repository: fromGit.address,
    ...{ commit, tree, tag, folder: pkg.folder, inputs, steps, tools, needs },
    archives: archived.map(({ offer: { destination }, delivery: { record }, address }) => {
      const { file, sha256 } = record;
      return { destination, file, address, sha256, sri: sriOf(sha256) };
    }),
    lines: [...archived.flatMap((one) => archiveLines(pkg, { ...one, time, inputs })), ...fromGit.lines],
    without: [
      // Of an unverified release no delivery is looked at.
      ...(archived.length > 0 || !release.isVouched
        ? []
        : [{ method: 'source archive', why: 'no destination has one; add `form: source-archive`' }]),
      ...fromGit.without,
    ],
  };
}

/** Lines say how to build; what makes the very same artifacts is in the archive. */
const notAsked = { program: '', supplier: null, stream: { type: 'stable', name: 'stable' }, notes: null } as const;

type FromGit = Pick<ReleaseSource, 'lines' | 'without'> & { readonly address: string | null };

async function gitBlocks(
  source: FromSource,
  { repository, address: known, release, tree }: SourceSearch & { readonly tree: string },
): Promise<FromGit> {
  const none = (why: string) => ({ address: null, lines: [], without: [{ method: 'git', why }] });
  // A forged ledger could name any commit of this clone.
  if (!release.isVouched) return none(whyUnverified(release));
  const address = known ?? (await cloneAddress(repository));
  if (address === null) return none('origin has no address; set `repository` in bevelstone.yaml');
  const { commit, tag } = release;
  const found = gitLines(source, { repository: address, commit, tag });
  const hidden = source.inputs.find(({ from }) => from.length === 0);
  const text = sourceBlock(source, gitOrigin({ repository: address, tag, commit, tree }));
  return {
    address,
    lines: [
      ...(hidden === undefined ? [{ destination: 'repository', client: 'git', into: 'shell', text }] : []),
      ...found.flatMap((line) => ('text' in line ? [{ destination: 'repository', ...line }] : [])),
    ],
    without: [
      ...(hidden === undefined
        ? []
        : [
            {
              method: 'git',
              why: `the input ${hidden.name} has no web address that others have; the source archive has it`,
            },
          ]),
      ...found.flatMap((line) => ('why' in line ? [{ method: `${line.client} from git`, why: line.why }] : [])),
    ],
  };
}

function notThere({ package: name, version, commit }: LedgerRelease): BevelstoneError {
  return new BevelstoneError('PACKAGE_NOT_FOUND', {
    message: `${name} ${version} cannot be built from its sources`,
    why: `the configuration at ${commit.slice(0, 12)} has no package ${name}`,
    fix: 'See what is on record: bevelstone ledger list',
  });
}

type Archived = {
  readonly offer: Offer;
  readonly delivery: Offer['delivered'][number];
  /** As readers have it. */
  readonly address: string;
};

function archivesOf(context: Context, place: OfferPlace): Archived[] {
  const { offer } = place;
  return offer.delivered
    .filter(({ record }) => formDefinitions[record.form].isSource)
    .map((delivery) => ({ offer, delivery, address: shownAddress(context, place, delivery.address) }));
}

/** The block, and the address with its digest as other systems pin it. */
function archiveLines(
  pkg: Package,
  {
    offer,
    delivery,
    address,
    time,
    inputs,
  }: Archived & { readonly time: number; readonly inputs: readonly SourceInput[] },
): ConsumerLine[] {
  const { record } = delivery;
  const { destination } = offer;
  const pin = [address, `sha256:${record.sha256}`, sriOf(record.sha256)].join('\n');
  const pinned = { destination, client: 'any system that pins addresses', into: 'its own file', text: pin };
  const only = { ...offer, delivered: [delivery] };
  // Where a place has several lines, the one that fetches the file and compares it.
  const found = consumerLines(only).find(({ text }) => text.endsWith(checkLine(record)));
  if (found === undefined) return [pinned];
  const { version, commit } = offer.release;
  const config = pkg.config.artifacts.find((found) => found.form === record.form && found['only-new-after'] === null);
  const folder = config?.tree === 'commit' ? pkg.folder : '';
  const source = packageSource(pkg, { version, commit, time, folder, inputs, release: notAsked });
  const [fetch = ''] = found.text.split('\n');
  const top = config?.top === 'none' ? '.' : `${fileNameOf(pkg.name)}-${version}`;
  const origin = archiveOrigin({ fetch, file: record.file, sha256: record.sha256, top });
  const needed = setUpLines(only).filter(({ client }) => client === found.client);
  const text = [...needed.map(({ text }) => text), sourceBlock(source, origin)].join('\n');
  return [{ destination, client: 'sh', into: 'shell', text }, pinned];
}

function sriOf(sha256: string): string {
  return `sha256-${Buffer.from(sha256, 'hex').toString('base64')}`;
}
