import type { HelperConfig } from '../config/config.ts';
import type { Staged } from '../contents/select.ts';
import { BevelstoneError } from '../error/bevelstone-error.ts';
import type { FormInput } from './layout.ts';
import { fileNameOf } from './placeholder.ts';
import { type PackedSoFar, type PlannedEntry, plannedText } from './plan.ts';

/** Where an installed package lies: archives can be unpacked anywhere, a Debian package goes below /usr. */
export type HelperPlace = {
  /** Stands before every path of the artifact: `usr/` or ''. */
  readonly root: string;
  /** Folder of libraries below the root: `lib` or `lib/x86_64-linux-gnu`. */
  readonly libraries: string;
  /** What pkg-config's `prefix` is; null to find it from the file's own place. */
  readonly prefix: string | null;
};

const anywhere: HelperPlace = { root: '', libraries: 'lib', prefix: null };

/**
 * Files that Bevelstone writes along with native libraries and programs. The install manifest comes last.
 * @throws HELPER_IMPOSSIBLE when nothing in the artifact fits the helper.
 */
export async function helperEntries(
  input: FormInput,
  staged: readonly Staged[],
  place: HelperPlace = anywhere,
): Promise<PlannedEntry[]> {
  const order = (helper: HelperConfig) => (helper.helper === 'installed-files' ? 1 : 0);
  const helpers = [...input.artifact.helpers].sort((a, b) => order(a) - order(b));
  return Promise.all(
    helpers.map((helper) => {
      if (helper.helper === 'pkg-config') return pkgConfig(input, staged, place);
      if (helper.helper === 'launcher') return launcher({ helperConfig: helper, formInput: input, staged, place });
      return helper.helper === 'desktop-entry' ? desktopEntry(helper, input, place) : installManifest(input, place);
    }),
  );
}

/** A pkg-config file (its manual, "Metadata file syntax"): the package's template filled in, else one of our own. */
async function pkgConfig(input: FormInput, staged: readonly Staged[], place: HelperPlace): Promise<PlannedEntry> {
  const { packageName, version, manifest, manifestPath, read } = input;
  const path = `${place.root}${place.libraries}/pkgconfig/${packageName}.pc`;
  const up = place.libraries
    .split('/')
    .map(() => '..')
    .join('/');
  const prefix = place.prefix ?? `\${pcfiledir}/${up}/..`;
  const values: Readonly<Record<string, string>> = {
    prefix,
    exec_prefix: `\${prefix}`,
    libdir: `\${prefix}/${place.libraries}`,
    includedir: `\${prefix}/include`,
    VERSION: version,
    PACKAGE_VERSION: version,
    PROJECT_VERSION: version,
  };
  const template = manifestPath?.endsWith('.pc.in') === true ? await read(manifestPath) : null;
  if (template !== null) {
    const filled = template.replace(/@(\w+)@/g, (whole, name: string) => values[name] ?? whole);
    const open = /@\w+@/.exec(filled)?.[0];
    if (open === undefined) return plannedText(path, filled);
    throw impossible('pkg-config', packageName, `${manifestPath} has ${open}, which Bevelstone does not fill`);
  }
  const library = staged.map(({ path }) => /(?:^|\/)lib([\w.+-]+?)\.(?:so|a|dylib)(?:\.[\d.]+)?$/.exec(path)?.[1]);
  const name = library.find((item) => item !== undefined);
  if (name === undefined) throw impossible('pkg-config', packageName, 'there is no library in the artifact');
  const lines = ['prefix', 'libdir', 'includedir'].map((key) => `${key}=${values[key]}`);
  const fields = [
    `Name: ${packageName}`,
    `Description: ${manifest?.description ?? packageName}`,
    `Version: ${version}`,
    `Libs: -L\${libdir} -l${name}`,
    `Cflags: -I\${includedir}`,
  ];
  return plannedText(path, [...lines, '', ...fields, ''].join('\n'));
}

/** A script in `bin/` that starts the program from wherever the archive was unpacked. */
async function launcher({
  helperConfig: { name, run, set },
  formInput: { packageName },
  staged,
  place,
}: {
  readonly helperConfig: HelperConfig;
  readonly formInput: FormInput;
  readonly staged: readonly Staged[];
  readonly place: HelperPlace;
}): Promise<PlannedEntry> {
  const programs = staged.filter(({ path, mode }) => (mode & 0o111) !== 0 && !/\.(?:so|dylib)\b/.test(path));
  const target = run === null ? (programs.length === 1 ? programs[0]?.path : undefined) : `${place.root}${run}`;
  if (target === undefined || !staged.some(({ path }) => path === target)) {
    const why = run === null ? `it has ${programs.length} programs, so \`run\` must name one` : `it has no ${run}`;
    throw impossible('launcher', packageName, why);
  }
  const inside = target.slice(place.root.length);
  const variables = Object.entries(set).map(([key, value]) => `export ${key}=${shellQuoted(value)}`);
  const script = [
    '#!/bin/sh',
    '# Starts the program that lies beside this folder, also through a link.',
    'self=$0',
    'while [ -h "$self" ]; do',
    '  target=$(readlink "$self")',
    '  case $target in /*) self=$target ;; *) self=$(dirname "$self")/$target ;; esac',
    'done',
    'here=$(cd "$(dirname "$self")/.." && pwd)',
    ...variables,
    `exec "$here"/${shellQuoted(inside)} "$@"`,
    '',
  ];
  return plannedText(`${place.root}bin/${name ?? fileNameOf(packageName)}`, script.join('\n'), 0o755);
}

/** A desktop entry (freedesktop Desktop Entry Specification 1.5, "Recognized desktop entry keys"). */
async function desktopEntry(
  { name, run, set }: HelperConfig,
  { packageName, manifest }: FormInput,
  place: HelperPlace,
): Promise<PlannedEntry> {
  const id = name ?? fileNameOf(packageName);
  const fields = {
    Type: 'Application',
    Version: '1.5',
    Name: id,
    ...(manifest?.description ? { Comment: manifest.description } : {}),
    Exec: run ?? id,
    Terminal: 'false',
    ...set,
  };
  const lines = Object.entries(fields).map(([key, value]) => `${key}=${escapeDesktop(value)}`);
  return plannedText(`${place.root}share/applications/${id}.desktop`, ['[Desktop Entry]', ...lines, ''].join('\n'));
}

/** Every file of the artifact with mode, size and digest, so that an unpacked copy can be checked and removed again. */
async function installManifest({ packageName }: FormInput, place: HelperPlace): Promise<PlannedEntry> {
  const path = `${place.root}share/${fileNameOf(packageName)}/installed-files.txt`;
  const make = (before: readonly PackedSoFar[]) => {
    const files = before.filter(({ type }) => type === 'file' || type === 'symlink');
    const top = commonTop(files.map((file) => file.path));
    const lines = files.map(
      ({ path: file, mode, sizeBytes, sha256 }) =>
        `${sha256} ${mode.toString(8).padStart(4, '0')} ${sizeBytes} ${file.slice(top.length)}\n`,
    );
    return Buffer.from(`# SHA-256, mode, bytes, path\n${lines.join('')}`);
  };
  return { path, mode: 0o644, content: { type: 'made', make } };
}

/** The archive's own top folder, which an install leaves away. */
function commonTop(paths: readonly string[]): string {
  const top = /^(?:\.|[^/]+)\//.exec(paths[0] ?? '')?.[0] ?? '';
  return paths.every((path) => path.startsWith(top)) ? top : '';
}

function shellQuoted(text: string): string {
  return /^[\w./+-]+$/.test(text) ? text : `'${text.replaceAll("'", "'\\''")}'`;
}

function escapeDesktop(value: string): string {
  return value.replaceAll('\\', '\\\\').replaceAll('\n', '\\n').replaceAll('\t', '\\t').replaceAll('\r', '\\r');
}

function impossible(helper: string, packageName: string, why: string): BevelstoneError {
  return new BevelstoneError('HELPER_IMPOSSIBLE', {
    message: `the helper ${helper} cannot be written for ${packageName}`,
    why,
    fix: 'Add what it needs to `files`, or give the helper its `run` or leave it out',
    where: { file: 'bevelstone.yaml' },
  });
}
