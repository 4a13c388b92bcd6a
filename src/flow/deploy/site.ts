import path from 'node:path';
import type { DeploymentConfig } from '../../core/config/config.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import {
  type DeployedFile,
  type DeploymentState,
  emptyState,
  formatDeployedFiles,
  formatDeploymentState,
  parseDeployedFiles,
  parseDeploymentState,
} from '../../core/record/deployment-state.ts';
import { type ParsedRecord, whyUnreadable } from '../../core/record/parse-record.ts';
import { nearest } from '../../core/text/nearest.ts';
import { openFolderTarget } from '../../world/target/folder-target.ts';
import { openSftpTarget } from '../../world/target/sftp-target.ts';
import { readTargetText, type Target, writeTargetText } from '../../world/target/target.ts';
import { type Context, during } from '../context.ts';
import { withoutCredentials } from '../workspace/credential-variables.ts';
import type { Workspace } from '../workspace/workspace.ts';

/** A deployment of the configuration with its target opened. */
export type Site = {
  readonly name: string;
  readonly config: DeploymentConfig;
  readonly target: Target;
  /** Git folder of the workspace, where temporary folders are written down. */
  readonly commonFolder: string;
};

/** Absolute paths on a target. */
export function placesOf({ target: { folder } }: Site) {
  const own = `${folder}/.bevelstone`;
  return {
    own,
    current: `${folder}/current`,
    versions: `${folder}/versions`,
    release: (id: string) => `${folder}/versions/${id}`,
    state: `${own}/state.json`,
    files: (id: string) => `${own}/${id}.json`,
    kept: (id: string) => `${own}/kept/${id}`,
  };
}

/** The link that `current` is while a release is in place. */
export function currentLink(id: string): string {
  return `versions/${id}`;
}

/**
 * The deployment that is meant: the one of that name, or the only one of the package.
 * @throws CONFIG_UNKNOWN_REFERENCE, USAGE
 */
export function deploymentNamed(
  { config }: Workspace,
  { name, packageName }: { readonly name: string | null; readonly packageName: string | null },
): { readonly name: string; readonly config: DeploymentConfig } {
  const all = Object.entries(config.deployments);
  const known = all.map(([other]) => other);
  if (name !== null) {
    const found = config.deployments[name];
    if (found !== undefined) return { name, config: found };
    const near = nearest(name, known);
    throw new BevelstoneError('CONFIG_UNKNOWN_REFERENCE', {
      message: `unknown deployment "${name}"`,
      why:
        known.length === 0
          ? 'bevelstone.yaml has no `deployments`'
          : `deployments in bevelstone.yaml: ${known.join(', ')}`,
      fix: near === null ? 'Use one of them, or define it first' : `Did you mean "${near}"?`,
    });
  }
  const own = all.filter(([, deployment]) => packageName === null || deployment.package === packageName);
  const [only] = own;
  if (only !== undefined && own.length === 1) return { name: only[0], config: only[1] };
  throw new BevelstoneError('USAGE', {
    message: 'the deployment is not named',
    why:
      own.length === 0
        ? `bevelstone.yaml has no deployment${packageName === null ? '' : ` of ${packageName}`}`
        : `there are several: ${own.map(([other]) => other).join(', ')}`,
    fix: own.length === 0 ? 'Define it under `deployments`' : `Add --to ${own[0]?.[0]}`,
  });
}

/** Opens the target of a deployment. @throws TARGET_UNREACHABLE, TARGET_REFUSED */
async function openSite(
  context: Context,
  { config: { destinations }, repository: { root, commonFolder } }: Workspace,
  { name, config }: Pick<Site, 'name' | 'config'>,
): Promise<Site> {
  const env = withoutCredentials(context.env, { destinations });
  const { signal } = context;
  if (config.target === 'folder')
    return {
      name,
      config,
      commonFolder,
      target: openFolderTarget({ folder: path.resolve(root, config.folder), env, signal }),
    };
  const { host, user, port, key, folder } = config;
  const login = `${user === null ? '' : `${user}@`}${host}${port === null ? '' : `:${port}`}`;
  const place = (file: string | null) =>
    file === null ? null : file.startsWith('~/') ? file : path.resolve(root, file);
  const target = await openSftpTarget({
    host: host ?? '',
    user,
    port,
    key: place(key),
    knownHosts: place(config['known-hosts']),
    folder,
    where: `ssh://${login}/${folder.replace(/^\//, '')}`,
    env,
    signal,
  });
  return { name, config, commonFolder, target };
}

/** Does something at a target, and leaves it afterwards. */
export async function withSite<Value>(
  context: Context,
  { workspace, ...named }: Pick<Site, 'name' | 'config'> & { readonly workspace: Workspace },
  work: (site: Site) => Promise<Value>,
): Promise<Value> {
  const site = await during(context, `connect to ${named.name}`, () => openSite(context, workspace, named));
  try {
    return await work(site);
  } finally {
    await site.target.close();
  }
}

/** What a target says of its deployments, with the text that it was read from. */
export type ReadState = { readonly state: DeploymentState; readonly text: string | null };

/** Reads the state of a target. @throws DEPLOY_STATE_DAMAGED, DEPLOY_BLOCKED */
export async function readState(site: Site): Promise<ReadState> {
  await refuseElsewhere(site);
  const file = placesOf(site).state;
  const text = await readTargetText(site.target, file);
  if (text === null) return { state: emptyState(site.name), text };
  const state = usable(site, file, parseDeploymentState(text));
  if (state.name === site.name) return { state, text };
  throw damaged(site, file, `it is the folder of the deployment "${state.name}"`);
}

/**
 * Looks at a target for a plan. What is found there does not fit together when another deployment ran meanwhile; that is the
 * error then, and not what it looked like. @throws DEPLOY_BUSY
 */
export async function undisturbed<Value>(site: Site, read: ReadState, look: () => Promise<Value>): Promise<Value> {
  try {
    return await look();
  } finally {
    await refuseOvertaken(site, read);
  }
}

/** @throws DEPLOY_BUSY when another deployment changed the state of a target since it was read; and like `readState`. */
export async function refuseOvertaken(site: Site, read: ReadState): Promise<void> {
  if ((await readState(site)).text === read.text) return;
  throw new BevelstoneError('DEPLOY_BUSY', {
    message: `another deployment to ${site.name} came first`,
    why: `the state of ${site.target.where} changed after this deployment had read it`,
    fix: 'Run the same command again: it looks at what is there now',
  });
}

/** Folders of ours that are links would lead everything that is written and removed elsewhere. @throws DEPLOY_BLOCKED */
async function refuseElsewhere(site: Site): Promise<void> {
  const { own, versions } = placesOf(site);
  for (const place of [own, versions]) {
    const found = await site.target.find(place);
    if (found !== null && found.type !== 'folder') throw blocked(site, place, found.type);
  }
}

/** The error for something at a path of a deployment that is not from one. */
export function blocked({ target }: Site, place: string, type: string): BevelstoneError {
  return new BevelstoneError('DEPLOY_BLOCKED', {
    message: `${place} on ${target.where} is in the way`,
    why: `it is a ${type === 'symlink' ? 'link that leads elsewhere' : type}, and no deployment made it`,
    fix: 'Move it away, or choose another path in the configuration of the deployment',
    where: { file: place },
  });
}

export async function writeState(site: Site, state: DeploymentState): Promise<void> {
  await writeTargetText(site.target, placesOf(site).state, formatDeploymentState(state));
}

/** Files of a release on a target; none for null. @throws DEPLOY_STATE_DAMAGED */
export async function readFilesOf(site: Site, id: string | null): Promise<readonly DeployedFile[]> {
  const files = id === null ? [] : await readFilesIfThere(site, id);
  if (files === null) throw damaged(site, placesOf(site).files(id ?? ''), 'it is missing');
  return files;
}

/** The same; null where there is no list: it is written before the first file. */
export async function readFilesIfThere(site: Site, id: string): Promise<readonly DeployedFile[] | null> {
  const file = placesOf(site).files(id);
  const text = await readTargetText(site.target, file);
  return text === null ? null : usable(site, file, parseDeployedFiles(text)).files;
}

export async function writeFilesOf(site: Site, id: string, files: readonly DeployedFile[]): Promise<void> {
  await writeTargetText(site.target, placesOf(site).files(id), formatDeployedFiles(files));
}

function usable<Value>(site: Site, file: string, parsed: ParsedRecord<Value>): Value {
  if (parsed.type === 'record') return parsed.record;
  throw damaged(site, file, whyUnreadable(parsed));
}

function damaged({ target }: Site, file: string, why: string): BevelstoneError {
  return new BevelstoneError('DEPLOY_STATE_DAMAGED', {
    message: `${file} on ${target.where} cannot be used`,
    why,
    fix: 'Check that `folder` of the deployment is right. To begin anew, move that folder away and deploy again',
    where: { file },
  });
}
