import path from 'node:path';
import { registryName } from '../../../core/protocol/crate-index/cargo-lines.ts';
import { compareNumbers } from '../../../core/version/loose-version.ts';
import { runCommand } from '../../../world/command.ts';
import type { Credential } from '../../../world/credential.ts';
import { exists, isMissing, namesBelow, writeWhole } from '../../../world/files.ts';
import type { Client, Installed, InstalledTree, Stage, Wanted } from './client.ts';
import { findVersion, lastLines } from './find-version.ts';

/** The first version that reads sparse indexes by itself, with one more for good measure. */
const leastVersion = [1, 70];

/**
 * Cargo: a project that needs the libraries is built from what was fetched, without a network; programs are installed. Crates of
 * others come from the second place, which stands for the usual registry ("Source Replacement").
 */
export const cargoClient: Client = {
  name: 'cargo',
  installsByName: true,
  usualSeconds: 2,
  takesSecondPlace: true,
  find: async (version, env, signal) => {
    const cargo = await findVersion({ names: ['cargo'], version, env, signal });
    const numbers = cargo?.version?.split('.').map(Number) ?? [];
    return cargo === null || compareNumbers(numbers, leastVersion) < 0
      ? null
      : { version: cargo.version ?? '', program: cargo };
  },
  install: async (_tool, stage, wanted) => {
    const { folder, home } = stage;
    const [first] = wanted;
    if (first === undefined) return { type: 'failed', why: 'there is nothing to install' };
    if (!/^https?:/.test(first.offer.url))
      return {
        type: 'failed',
        why: 'cargo reads an index by HTTP only: set `index-url` to where the folder is served',
      };
    const registry = registryName(first.offer.destination);
    const cargoHome = path.join(home, 'cargo');
    const env: Record<string, string> = {
      ...stage.env,
      CARGO_HOME: cargoHome,
      CARGO_TERM_COLOR: 'never',
      ...tokenOf(registry, first.credential),
    };
    await writeWhole(path.join(cargoHome, 'config.toml'), configText(registry, first));
    await writeWhole(path.join(folder, 'Cargo.toml'), projectText(registry, wanted));
    await writeWhole(path.join(folder, 'src', 'lib.rs'), '');
    const run = cargoIn(stage, env);
    const fetched = await run(['fetch']);
    if (fetched !== null) return { type: 'failed', why: fetched };
    const kinds = await Promise.all(wanted.map(async (one) => ({ one, kinds: await kindsOf(cargoHome, one) })));
    // What was fetched is enough: nothing is looked up again.
    const built = await run(['build', '--locked', '--offline']);
    if (built !== null) return { type: 'failed', why: built };
    const bin = path.join(home, 'installed', 'bin');
    for (const { one, kinds: found } of kinds) {
      if (!found.isProgram) continue;
      const { name } = one.offer.release.about;
      const lock = found.hasLock ? ['--locked'] : [];
      const args = ['install', name, '--version', `=${one.offer.release.version}`, '--registry', registry, ...lock];
      const installed = await run([...args, '--root', path.dirname(bin)]);
      if (installed !== null) return { type: 'failed', why: installed };
    }
    return {
      type: 'installed',
      env: { PATH: [bin, env['PATH']].join(path.delimiter), CARGO_HOME: cargoHome, CARGO_NET_OFFLINE: 'true' },
      trees: await treesOf(cargoHome, wanted),
    } satisfies Installed;
  },
};

/** Runs cargo in the stage. @returns why it failed, null when it did not. */
function cargoIn({ folder, signal }: Stage, env: Readonly<Record<string, string>>) {
  return async (args: readonly string[]): Promise<string | null> => {
    const end = await runCommand({ program: 'cargo', args: [...args], folder, env, signal });
    if (end.type === 'missing') return 'cargo is gone';
    return end.exitCode === 0 ? null : lastLines(end.all);
  };
}

function projectText(registry: string, wanted: readonly Wanted[]): string {
  const needs = wanted.map(
    ({ offer: { release } }) =>
      `${JSON.stringify(release.about.name)} = { version = "=${release.version}", registry = "${registry}" }`,
  );
  return `[package]\nname = "visitor"\nversion = "1.0.0"\nedition = "2021"\n\n[dependencies]\n${needs.join('\n')}\n\n[workspace]\n`;
}

/** Credentials come from the environment alone ("Registry Authentication"). */
function configText(registry: string, { offer: { url }, upstream, moved }: Wanted): string {
  const replaced =
    upstream === null
      ? ''
      : `\n[source.crates-io]\nreplace-with = "upstream"\n\n[source.upstream]\nregistry = "sparse+${upstream}"\n`;
  return `[registries.${registry}]\nindex = "sparse+${url}"\n\n[registry]\nglobal-credential-providers = ["cargo:token"]\n${replaced}${movedText(registry, url, moved)}`;
}

/** Registries that crates name by their addresses, and that another server stands in for. Cargo takes no address twice. */
function movedText(registry: string, url: string, moved: Wanted['moved']): string {
  const places = new Map(
    moved.filter(({ from, to }) => from !== to && /^https?:/.test(from)).map(({ from, to }) => [from, to]),
  );
  const others = [...new Set(places.values())].filter((to) => to !== url);
  const nameOf = (to: string) => (to === url ? registry : `instead-${others.indexOf(to)}`);
  const instead = others.map((to) => `\n[source.${nameOf(to)}]\nregistry = "sparse+${to}"\n`);
  const replaced = [...places].map(
    ([from, to], index) => `\n[source.moved-${index}]\nregistry = "sparse+${from}"\nreplace-with = "${nameOf(to)}"\n`,
  );
  return [...instead, ...replaced].join('');
}

function tokenOf(registry: string, credential: Credential): Record<string, string> {
  const secret =
    credential.type === 'token' ? credential.secret : credential.type === 'header' ? credential.value : null;
  return secret === null ? {} : { [`CARGO_REGISTRIES_${registry.toUpperCase().replaceAll('-', '_')}_TOKEN`]: secret };
}

/** Where cargo has unpacked a crate: below one folder for each registry. */
async function unpackedAt(cargoHome: string, { offer: { release } }: Wanted): Promise<string | null> {
  const top = path.join(cargoHome, 'registry', 'src');
  const name = `${release.about.name}-${release.version}`;
  const found = (await filesBelow(top)).find((file) => file.split(path.sep)[1] === name);
  return found === undefined ? null : path.join(top, found.split(path.sep)[0] ?? '');
}

async function kindsOf(cargoHome: string, one: Wanted): Promise<{ isProgram: boolean; hasLock: boolean }> {
  const top = await unpackedAt(cargoHome, one);
  if (top === null) return { isProgram: false, hasLock: false };
  const { release } = one.offer;
  const folder = path.join(top, `${release.about.name}-${release.version}`);
  const files = await filesBelow(folder);
  const isProgram = files.some((file) => /^src[/\\](?:main\.rs$|bin[/\\])/.test(file));
  return { isProgram, hasLock: await exists(path.join(folder, 'Cargo.lock')) };
}

async function treesOf(cargoHome: string, wanted: readonly Wanted[]): Promise<InstalledTree[]> {
  const trees: InstalledTree[] = [];
  for (const one of wanted) {
    const folder = await unpackedAt(cargoHome, one);
    if (folder === null) continue;
    for (const { artifact } of one.offer.delivered) trees.push({ type: 'folder', artifact, folder, prefix: '' });
  }
  return trees;
}

async function filesBelow(folder: string): Promise<string[]> {
  try {
    return await namesBelow(folder);
  } catch (error) {
    if (isMissing(error)) return [];
    throw error;
  }
}
