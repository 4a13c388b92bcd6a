import { compareBytes } from '../../contents/entry.ts';
import { BevelstoneError } from '../../error/bevelstone-error.ts';
import { type PythonProject, parsePythonProject } from '../../manifest/python-project.ts';
import type { FormInput, Layout } from '../layout.ts';
import { type PackedSoFar, type PlannedEntry, plannedFile, plannedText } from '../plan.ts';
import { readPython, selectModules } from '../python/python.ts';

/** A wheel (PEP 427 and the "Binary distribution format" specification, licences by PEP 639, SBOMs by PEP 770). No Python is needed to pack it. */
export const wheel: Layout = {
  select: async (input) => {
    const text = await input.read('pyproject.toml');
    // Without the table the plan says what is missing.
    if (text === null || !/^\s*\[project\]/m.test(text)) return [];
    return selectModules(parsePythonProject(text, 'pyproject.toml'), input.files, input.packageName);
  },
  plan: async (input, staged) => {
    const { project, stem, metadata, licences } = await readPython(input);
    const info = `${stem}.dist-info`;
    const modules = staged.map((staged) => plannedFile(staged)).sort((a, b) => compareBytes(a.path, b.path));
    const tag = tagOf(modules, input);
    const isPure = tag.endsWith('-none-any');
    const entryPoints = formatEntryPoints(project);
    const sbom = await input.needsSbom();
    // PEP 427 asks for the metadata at the end of the archive, and RECORD is made of all the others.
    const entries = [
      ...modules,
      plannedText(`${info}/METADATA`, metadata),
      plannedText(`${info}/WHEEL`, formatWheel(tag, isPure, input.programVersion)),
      ...(entryPoints === '' ? [] : [plannedText(`${info}/entry_points.txt`, entryPoints)]),
      ...licences.map((source) => plannedFile({ source, path: `${info}/licenses/${source.path}`, mode: 0o644 })),
      // PEP 770, "Specification": SBOMs lie in a folder of their own.
      ...(sbom === null ? [] : [plannedText(`${info}/sboms/${sbom.fileName}`, sbom.text)]),
      recordEntry(`${info}/RECORD`),
    ];
    return { fileName: `${stem}-${tag}.whl`, container: 'zip', entries, comment: null, metadata: '' };
  },
};

function formatWheel(tag: string, isPure: boolean, programVersion: string): string {
  const [pythons = '', abis = '', platforms = ''] = tag.split('-');
  // A compressed tag set stands for each combination (PEP 425, "Compressed Tag Sets").
  const tags = pythons
    .split('.')
    .flatMap((python) =>
      abis.split('.').flatMap((abi) => platforms.split('.').map((platform) => `${python}-${abi}-${platform}`)),
    );
  const lines = ['Wheel-Version: 1.0', `Generator: bevelstone ${programVersion}`, `Root-Is-Purelib: ${isPure}`];
  return [...lines, ...tags.map((tag) => `Tag: ${tag}`), ''].join('\n');
}

/** One line per file with its SHA-256, and RECORD itself without (PEP 376, "RECORD"; digests by PEP 427). */
function recordEntry(path: string): PlannedEntry {
  const line = ({ path: file, sha256, sizeBytes }: PackedSoFar) =>
    `${quoted(file)},sha256=${Buffer.from(sha256 ?? '', 'hex').toString('base64url')},${sizeBytes}\n`;
  const make = (before: readonly PackedSoFar[]) => Buffer.from(`${before.map(line).join('')}${quoted(path)},,\n`);
  return { path, mode: 0o644, content: { type: 'made', make } };
}

function quoted(path: string): string {
  return /[",]/.test(path) ? `"${path.replaceAll('"', '""')}"` : path;
}

/** `entry_points.txt` ("Entry points specification", file format). */
function formatEntryPoints({ entryPoints }: PythonProject): string {
  return Object.entries(entryPoints)
    .map(([group, points]) => {
      const lines = Object.entries(points).map(([name, reference]) => `${name} = ${reference}\n`);
      return `[${group}]\n${lines.join('')}`;
    })
    .join('\n');
}

/**
 * The wheel's tag (PEP 425): any interpreter and platform for Python alone; what the names of extension modules say (PEP 3149)
 * otherwise, on the artifact's platform.
 */
function tagOf(modules: readonly PlannedEntry[], input: FormInput): string {
  const given = input.artifact['wheel-tag'];
  if (given !== null) return given;
  const extensions = modules.filter(({ path }) => /\.(?:so|pyd)$/.test(path));
  if (extensions.length === 0) return 'py3-none-any';
  const platform = platformTag(input.platform);
  const names = new Set(extensions.map(({ path }) => interpreterOf(path)));
  const [first] = names;
  if (names.size !== 1 || first === undefined || first === null || platform === null)
    throw unclearTag(extensions, input);
  return `${first}-${platform}`;
}

function interpreterOf(path: string): string | null {
  const cpython = /\.cpython-(\d)(\d+)-|\.cp(\d)(\d+)-win/.exec(path);
  if (cpython !== null) {
    const version = `cp${cpython[1] ?? cpython[3]}${cpython[2] ?? cpython[4]}`;
    return `${version}-${version}`;
  }
  return /\.abi3\.so$/.test(path) ? 'cp38-abi3' : null;
}

const platformTags: Readonly<Record<string, string>> = {
  'linux-x64': 'linux_x86_64',
  'linux-arm64': 'linux_aarch64',
  'linux-ia32': 'linux_i686',
  'linux-arm': 'linux_armv7l',
  'macos-x64': 'macosx_10_13_x86_64',
  'macos-arm64': 'macosx_11_0_arm64',
  'windows-x64': 'win_amd64',
  'windows-arm64': 'win_arm64',
  'windows-ia32': 'win32',
};

function platformTag(platform: string | null): string | null {
  return platform === null ? null : (platformTags[platform] ?? null);
}

function unclearTag(extensions: readonly PlannedEntry[], { packageName, platform }: FormInput): BevelstoneError {
  const named = extensions.map(({ path }) => path).join(', ');
  return new BevelstoneError('PLATFORM_UNCLEAR', {
    message: `unknown interpreters and platforms of the wheel of ${packageName} is for`,
    why:
      platform === null
        ? `it has extension modules (${named}), and the package lists no platforms`
        : `the names of its extension modules (${named}) do not name one interpreter`,
    fix: 'List `platforms` for the package, or give the artifact a `wheel-tag` such as cp311-cp311-linux_x86_64',
    where: { file: 'bevelstone.yaml' },
  });
}
