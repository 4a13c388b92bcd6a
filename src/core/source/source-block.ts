import type { FileRuleConfig } from '../config/config.ts';
import { fileNameOf } from '../form/placeholder.ts';
import type { FromSource, SourceInput, SourceStep } from '../form/source-archive/from-source.ts';
import { inputFileName } from '../input/input-address.ts';
import { quoteShell } from '../text/quote-shell.ts';
import { shellText } from './shell-text.ts';

/** Where the sources come from: lines of a shell that leave them in the current folder, checked. */
export type SourceOrigin = {
  /** Programs that the lines start. */
  readonly programs: readonly string[];
  readonly lines: readonly string[];
  /** Folder that has the sources then. */
  readonly top: string;
  /** Whether what is in it has the package's inputs already. */
  readonly hasInputs: boolean;
};

/** An archive: fetched by a command that leaves it in the current folder, compared with its digest, unpacked. */
export function archiveOrigin({
  fetch,
  file,
  sha256,
  top,
}: {
  readonly fetch: string;
  readonly file: string;
  readonly sha256: string;
  readonly top: string;
}): SourceOrigin {
  return {
    programs: [fetch.split(' ')[0] ?? '', 'tar', 'sha256sum'],
    lines: [
      fetch,
      `found=$(sha256sum ${quoteShell(file)}); found=\${found%% *}`,
      ...refuseOther('SHA-256', sha256),
      `tar -xzf ${quoteShell(file)}`,
    ],
    top,
    hasInputs: true,
  };
}

/** A tag of a repository: the commit that it leads to and the tree that is checked out are compared. */
export function gitOrigin({
  repository,
  tag,
  commit,
  tree,
}: {
  readonly repository: string;
  readonly tag: string;
  readonly commit: string;
  readonly tree: string;
}): SourceOrigin {
  return {
    programs: ['git'],
    lines: [
      'git init --quiet source',
      `git -C source fetch --quiet --depth 1 ${quoteShell(repository)} ${quoteShell(`refs/tags/${tag}`)}`,
      "found=$(git -C source rev-parse 'FETCH_HEAD^{commit}')",
      ...refuseOther('commit', commit),
      'git -C source -c core.autocrlf=false checkout --quiet FETCH_HEAD',
      'found=$(git -C source write-tree)',
      ...refuseOther('tree', tree),
    ],
    top: 'source',
    hasInputs: false,
  };
}

function refuseOther(what: string, expected: string): string[] {
  return [`if [ "$found" != ${expected} ]; then echo "wrong ${what}: $found, expected ${expected}" >&2; exit 1; fi`];
}

/**
 * A block for a POSIX shell: fetches the sources, checks them, builds in a folder of its own and installs below `$PREFIX`, or a new
 * folder under the current one. It is one subshell, so that an error ends the block and not the shell that it is pasted into.
 */
export function sourceBlock(source: FromSource, { programs, lines, top, hasInputs }: SourceOrigin): string {
  const { version, time, commit, tools } = source;
  const stem = `${fileNameOf(source.package)}-${version}`;
  const inputs = hasInputs ? [] : source.inputs;
  const needed = [...new Set([...programs, ...inputs.flatMap(inputPrograms), ...tools.map(({ name }) => name)])];
  const folder = source.folder === '' ? top : `${top}/${source.folder}`;
  return [
    '(set -eu',
    ...commentOf(
      'needs',
      tools.flatMap(({ name, range }) => (range === null ? [] : [`${name} ${range}`])),
    ),
    ...commentOf(
      'is built with',
      source.needs.build.map(({ name, range }) => `${name} ${range}`),
    ),
    ...commentOf(
      'needs at run time',
      source.needs.run.map(({ name, range }) => `${name} ${range}`),
    ),
    `for tool in ${needed.map(quoteShell).join(' ')}; do`,
    `  command -v "$tool" > /dev/null || { echo "$tool is needed, and it is not on the PATH" >&2; exit 1; }`,
    'done',
    `prefix=\${PREFIX:-$PWD/${quoteShell(stem)}}`,
    'case $prefix in /*) ;; *) prefix=$PWD/$prefix ;; esac',
    `work=\${TMPDIR:-/tmp}/${quoteShell(stem)}.$$`,
    'mkdir -m 700 "$work"; trap \'rm -rf "$work"\' EXIT; cd "$work"',
    ...lines,
    `mkdir out; cd ${quoteShell(folder)}`,
    ...inputs.flatMap(inputLines),
    ...platformLines(source),
    `export LC_ALL=C TZ=UTC SOURCE_DATE_EPOCH=${time} BEVELSTONE_VERSION=${quoteShell(version)} BEVELSTONE_COMMIT=${commit} BEVELSTONE_OUT="$work/out"`,
    ...source.steps.flatMap((step) => stepLines(step, source)),
    ...installLines(source, stem),
    `echo "${stem} is in $prefix"`,
    ')',
  ].join('\n');
}

/** One line, whatever a manifest has for a name or a range. */
function commentOf(what: string, things: readonly string[]): string[] {
  return things.length === 0 ? [] : [`# ${what}: ${things.map((thing) => thing.replace(/\p{Cc}+/gu, ' ')).join(', ')}`];
}

/** The platform of the machine, as steps know it. */
function platformLines({ platforms, steps }: FromSource): string[] {
  const isNamed = steps.some(
    ({ run, in: folder, env, platform }) =>
      platform !== null || [run, folder, ...Object.values(env)].some((text) => text.includes('{platform}')),
  );
  if (platforms.length === 0 || !isNamed) return [];
  return [
    'case $(uname -s) in Darwin) system=macos ;; *) system=$(uname -s | tr A-Z a-z) ;; esac',
    'case $(uname -m) in x86_64|amd64) arch=x64 ;; aarch64|arm64) arch=arm64 ;; *) arch=$(uname -m) ;; esac',
    'export BEVELSTONE_PLATFORM=$system-$arch',
  ];
}

function stepLines({ name, run, in: folder, env, platform }: SourceStep, { version, commit }: FromSource): string[] {
  const fill = (text: string) => shellText(text, { version, commit });
  const own = Object.entries(env).map(([key, value]) => `${key}=${fill(doubleQuoted(value))}`);
  const words = [...(own.length === 0 ? [] : ['env', ...own]), 'sh', '-c', quoteShell(fill(run))].join(' ');
  const line =
    folder === '.' || folder === '' ? words : `(cd "${fill(doubleQuoted(folder)).slice(1, -1)}" && ${words})`;
  return [
    `echo ${quoteShell(`${name} …`)}`,
    platform === null ? line : `if [ "$BEVELSTONE_PLATFORM" = ${quoteShell(platform)} ]; then ${line}; fi`,
  ];
}

/** A value in double quotes, in which only placeholders mean something. */
function doubleQuoted(value: string): string {
  return `"${value.replace(/[\\"$`]/g, '\\$&')}"`;
}

/** The same files as an archive has, for rules that a shell can follow; what it cannot is said. */
function installLines({ install, helpers }: FromSource, stem: string): string[] {
  const put = [
    '# put FROM, where a folder goes, where a file goes',
    'put() {',
    '  if [ -d "$1" ]; then mkdir -p "$prefix/$2"; cp -R "$1/." "$prefix/$2/"',
    '  else mkdir -p "$prefix/$3"; cp "$1" "$prefix/$3/"; fi',
    '}',
  ];
  if (install === null)
    return [
      'mkdir -p "$prefix"; cp -R . "$prefix/"',
      'if [ -n "$(ls "$work/out")" ]; then mkdir -p "$prefix/out"; cp -R "$work/out/." "$prefix/out/"; fi',
    ];
  const absent = `${stem}: not installed, only a release has them: ${helpers.join(', ')}`;
  return [
    ...put,
    ...install.flatMap((rule) => ruleLines(rule, stem)),
    ...(helpers.length === 0 ? [] : [`echo ${quoteShell(absent)} >&2`]),
  ];
}

function ruleLines(rule: FileRuleConfig, stem: string): string[] {
  const from = rule.from.replace(/^\.\//, '').replace(/\/+$/, '');
  const isPlain = !/[*?[]/.test(from) && rule.only.length === 0 && rule.except.length === 0;
  if (!isPlain) return [`echo ${quoteShell(`${stem}: not installed, choose by hand: ${rule.from}`)} >&2`];
  const path = inQuotes(from);
  const inside = inQuotes(from.replace(/^\{out\}\/?/, ''));
  const above = inside.includes('/') ? inside.slice(0, inside.lastIndexOf('/')) : '.';
  const quoted = `"${path}"`;
  if (rule.as !== null) {
    const target = `"$prefix/${inQuotes(rule.as)}"`;
    return [`mkdir -p "$(dirname ${target})"; cp ${quoted} ${target}`, ...modeLines(rule, target)];
  }
  if (rule.to !== null) return [`put ${quoted} "${inQuotes(rule.to)}" "${inQuotes(rule.to)}"`];
  return [`put ${quoted} "${inside || '.'}" "${above}"`];
}

/** A path as it stands between double quotes, its placeholders as variables. */
function inQuotes(path: string): string {
  return shellText(doubleQuoted(path), {}).slice(1, -1);
}

function modeLines({ mode }: FileRuleConfig, target: string): string[] {
  return mode === null ? [] : [`chmod ${mode} ${target}`];
}

/** What fetching and unpacking an input needs. */
function inputPrograms(input: SourceInput): string[] {
  const { program } = unpackingOf(input);
  return ['curl', 'sha256sum', ...(program === null ? [] : [program]), ...(input.patches.length === 0 ? [] : ['git'])];
}

/** Fetches an input from the first address that answers, compares it, unpacks it where it belongs and applies its patches. */
function inputLines(input: SourceInput, index: number): string[] {
  const { name, sha256, into, patches, version } = input;
  const [file, folder] = [`"$work/input-${index + 1}"`, `"$work/unpacked-${index + 1}"`];
  const fetches = input.from.map((address) => `curl -fsSL -o ${file} ${quoteShell(address)}`);
  const place = quoteShell(into.replace(/\/+$/, '') || '.');
  return [
    `echo ${quoteShell(`${name}${version === null ? '' : ` ${version}`} …`)}`,
    fetches.join(' || '),
    `found=$(sha256sum ${file}); found=\${found%% *}`,
    ...refuseOther(`SHA-256 of ${name}`, sha256),
    `mkdir ${folder}; ${unpackingOf(input).line(file, folder)}`,
    `mkdir -p ${place}; cp -R ${folder}/${input['drop-top'] ? '*/' : ''}. ${place}/`,
    // In a folder of the repository git would pass over paths that the repository has elsewhere.
    ...patches.map(
      (patch) =>
        `patch=$PWD/${quoteShell(patch.file)}; (cd ${place} && GIT_CEILING_DIRECTORIES=$(dirname "$PWD") git apply --whitespace=nowarn "$patch")`,
    ),
  ];
}

type Unpacking = { readonly program: string | null; readonly line: (file: string, folder: string) => string };

function unpackingOf(input: SourceInput): Unpacking {
  const name = inputFileName(input);
  if (/\.zip$/i.test(name)) return { program: 'unzip', line: (file, folder) => `unzip -q ${file} -d ${folder}` };
  if (/\.(?:tgz|tar\.gz|crate)$/i.test(name))
    return { program: 'tar', line: (file, folder) => `tar -xzf ${file} -C ${folder}` };
  if (/\.(?:tar|tar\.xz|txz)$/i.test(name))
    return { program: 'tar', line: (file, folder) => `tar -xf ${file} -C ${folder}` };
  return { program: null, line: (file, folder) => `cp ${file} ${folder}/${quoteShell(name)}` };
}
