import { isInnerPath } from '../contents/safe-path.ts';
import { isRunId } from './parse-event.ts';
import { format, type ParsedRecord, parseRecord } from './parse-record.ts';
import {
  type Check,
  isCommit,
  isCount,
  isFlag,
  isLine,
  isOneOf,
  isPackageName,
  isSha256,
  isTime,
  isVersionText,
  list,
  nullable,
  openObject,
  orNull,
} from './schema.ts';

/** A file or link of a deployed release, by its path inside the release's folder. */
export type DeployedFile = {
  readonly path: string;
  readonly type: 'file' | 'symlink';
  /** Permission bits; 0 for a link. */
  readonly mode: number;
  /** Of a link's target for a link. */
  readonly sha256: string;
  /** Target of a link; null for a file. */
  readonly linkname: string | null;
};

/** A part of a release and the path that it has on the target. */
export type DeployedPart = {
  /** Path inside the release; `.` for all of it. */
  readonly from: string;
  /** Absolute path on the target. */
  readonly to: string;
  /** Whether its files were copied; else a link leads through `current`. */
  readonly isCopied: boolean;
};

/** How a deployment ended; null while it goes on. */
export type DeploymentResult = 'deployed' | 'failed';

/** One deployment of a release to a target. */
export type Deployment = {
  /** `VERSION-RUN`; also the name of its folder below `versions/`. */
  readonly id: string;
  readonly package: string;
  readonly version: string;
  readonly artifact: string;
  /** Of the artifact. */
  readonly sha256: string;
  readonly commit: string;
  readonly at: string;
  readonly by: string;
  /** The deployment that it replaced; null for the first. */
  readonly before: string | null;
  readonly parts: readonly DeployedPart[];
  /** Number of its files. */
  readonly files: number;
  readonly result: DeploymentResult | null;
};

/** What is on a target, and what was begun there. Kept on the target, so that every machine finds the same. */
export type DeploymentState = {
  /** Name of the deployment in the configuration. */
  readonly name: string;
  /** The one that is in place; null for none. */
  readonly current: string | null;
  /** One that was begun and not finished: which release comes into place, and whether by going back. */
  readonly pending: { readonly id: string | null; readonly kind: 'forward' | 'back'; readonly run: string } | null;
  /** Oldest first. */
  readonly deployments: readonly Deployment[];
};

const idPattern = /^([0-9A-Za-z.+-]{1,128})-(\d{8}-\d{6}-[0-9a-f]{8})$/;

/** Names a folder on the target, so nothing else may stand there. */
export const isDeploymentId: Check = (value) => {
  const [, version, run] = typeof value === 'string' ? (idPattern.exec(value) ?? []) : [];
  return isVersionText(version) && isRunId(run);
};

/** The id of a deployment of a version in a run. */
export function deploymentId(version: string, run: string): string {
  return `${version}-${run}`;
}

/** A path from the root with no part that leads elsewhere. */
const isAbsolutePath: Check = (value) =>
  typeof value === 'string' && value.startsWith('/') && isInnerPath(value.slice(1));

const fileSchema = openObject({
  path: isInnerPath as Check,
  type: isOneOf('file', 'symlink'),
  mode: isCount,
  sha256: isSha256,
  linkname: orNull(isLine),
});

const deploymentSchema = openObject({
  id: isDeploymentId,
  package: isPackageName,
  version: isVersionText,
  artifact: isInnerPath as Check,
  sha256: isSha256,
  commit: isCommit,
  at: isTime,
  by: isLine,
  before: orNull(isDeploymentId),
  parts: list(
    openObject({
      from: (value) => value === '.' || isInnerPath(value),
      to: isAbsolutePath,
      isCopied: isFlag,
    }),
  ),
  files: isCount,
  result: orNull(isOneOf('deployed', 'failed')),
});

const stateSchema = openObject({
  name: isLine,
  current: orNull(isDeploymentId),
  pending: nullable(openObject({ id: orNull(isDeploymentId), kind: isOneOf('forward', 'back'), run: isRunId })),
  deployments: list(deploymentSchema),
});

/** Nothing deployed yet. */
export function emptyState(name: string): DeploymentState {
  return { name, current: null, pending: null, deployments: [] };
}

/** Reads the state of a target: others can write there. */
export function parseDeploymentState(text: string): ParsedRecord<DeploymentState> {
  const parsed = parseRecord<DeploymentState>(text, stateSchema);
  if (parsed.type !== 'record') return parsed;
  const { current, pending, deployments } = parsed.record;
  const ids = new Set(deployments.map(({ id }) => id));
  const named = [current, pending?.id ?? null, ...deployments.map(({ before }) => before)];
  if (ids.size !== deployments.length) return { type: 'damaged', why: '`deployments` has one of them twice' };
  if ([current, pending?.id ?? null].some((id) => id !== null && !ids.has(id)))
    return { type: 'damaged', why: `it names a deployment that it does not describe: ${named.join(', ')}` };
  return parsed;
}

/** The text of the state. */
export function formatDeploymentState(state: DeploymentState): string {
  return `${JSON.stringify({ schema: format, ...state }, null, 2)}\n`;
}

/** Reads the list of files of a deployed release. */
export function parseDeployedFiles(text: string): ParsedRecord<{ readonly files: readonly DeployedFile[] }> {
  const parsed = parseRecord<{ readonly files: readonly DeployedFile[] }>(
    text,
    openObject({ files: list(fileSchema) }),
  );
  if (parsed.type !== 'record') return parsed;
  const wrong = parsed.record.files.find(({ type, linkname }) => (type === 'symlink') !== (linkname !== null));
  return wrong === undefined ? parsed : { type: 'damaged', why: `${wrong.path} has a link's target or lacks one` };
}

/** The text of such a list. */
export function formatDeployedFiles(files: readonly DeployedFile[]): string {
  return `${JSON.stringify({ schema: format, files }, null, 2)}\n`;
}
