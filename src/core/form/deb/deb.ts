import { renderDebianStanza } from '../../changelog/plain-text.ts';
import { compareBytes } from '../../contents/entry.ts';
import { BevelstoneError } from '../../error/bevelstone-error.ts';
import { contentsNeeded } from '../contents-needed.ts';
import { helperEntries } from '../helper.ts';
import { type FormInput, type Layout, spelt } from '../layout.ts';
import { fillPlaceholders } from '../placeholder.ts';
import { type PackedSoFar, type PlannedEntry, plannedFile, plannedText } from '../plan.ts';
import { formatControl } from './control.ts';

/** A Debian binary package (deb(5), deb-control(5), Debian Policy 4.6). Contents are placed by the file system hierarchy. */
export const deb: Layout = {
  select: async ({ packageName }) => {
    throw contentsNeeded(packageName, 'deb', []);
  },
  plan: async (input, staged) => {
    const name = debianName(input);
    const version = `${spelt(input, 'debian').replace(/-1$/, '')}-${input.artifact.revision}`;
    const architecture = architectureOf(input);
    const multiarch = fillPlaceholders('{multiarch}', input);
    const libraries = multiarch === '' ? 'lib' : `lib/${multiarch}`;
    const helpers = await helperEntries(input, staged, { root: 'usr/', libraries, prefix: '/usr' });
    const files = [...staged.map((staged) => plannedFile(staged)), ...helpers];
    const documents = await documentEntries(input, { name, version, files });
    const placed = [...files, ...documents].sort((a, b) => compareBytes(a.path, b.path));
    const fields = controlFields(input, { name, version, architecture });
    return {
      fileName: `${name}_${version}_${architecture}.deb`,
      container: 'deb',
      entries: withFolders(placed),
      control: controlEntries(placed, fields),
      comment: null,
      metadata: canonicalControl(fields),
    };
  },
};

/** Control fields as the content digest takes them: without the size, which follows from the entries. */
export function canonicalControl(fields: Readonly<Record<string, string>>): string {
  const sorted = Object.entries(fields).filter(([name]) => name !== 'Installed-Size');
  return JSON.stringify(Object.fromEntries(sorted.sort(([a], [b]) => compareBytes(a, b))));
}

/** Debian Policy §5.6.1: small letters, digits, plus, minus and dot, at least two. */
function debianName({ artifact, packageName }: FormInput): string {
  const name =
    artifact.control['Package'] ??
    packageName
      .toLowerCase()
      .replace(/[^a-z0-9+.-]+/g, '-')
      .replace(/^-+/, '');
  if (/^[a-z0-9][a-z0-9+.-]+$/.test(name)) return name;
  throw missing('Package', packageName, `"${name}" is not a name that Debian allows`);
}

const architectures: Readonly<Record<string, string>> = {
  x64: 'amd64',
  arm64: 'arm64',
  arm: 'armhf',
  ia32: 'i386',
  ppc64: 'ppc64el',
  riscv64: 'riscv64',
  s390x: 's390x',
};

/** Debian's name of the platform; `all` for a package without platforms. @throws PLATFORM_UNCLEAR */
function architectureOf({ platform, packageName }: FormInput): string {
  if (platform === null) return 'all';
  const [system, processor = ''] = platform.split('-');
  const architecture = architectures[processor];
  if (system === 'linux' && architecture !== undefined) return architecture;
  throw new BevelstoneError('PLATFORM_UNCLEAR', {
    message: `${packageName} cannot be a Debian package for ${platform}`,
    why: 'Debian has no architecture of that name',
    fix: `Use linux with one of ${Object.keys(architectures).join(', ')}, or leave the deb out`,
    where: { file: 'bevelstone.yaml' },
  });
}

type DebParts = { readonly name: string; readonly version: string; readonly architecture: string };

/** Fields of the control file in their order (Debian Policy §5.3); those of the configuration come over ours. */
function controlFields(input: FormInput, { name, version, architecture }: DebParts): Record<string, string> {
  const { artifact, manifest, packageName } = input;
  const { Package: _, ...own } = artifact.control;
  const maintainer = own['Maintainer'];
  if (maintainer === undefined)
    throw missing('Maintainer', packageName, 'Debian Policy §3.3 asks for a name and an address');
  const description = own['Description'] ?? manifest?.description ?? null;
  if (description === null)
    throw missing('Description', packageName, 'neither the manifest nor the configuration has one');
  return {
    Package: name,
    Version: version,
    Architecture: architecture,
    Maintainer: maintainer,
    'Installed-Size': '0',
    ...(architecture === 'all' ? {} : { 'Multi-Arch': 'same' }),
    Section: 'libs',
    Priority: 'optional',
    'Source-Commit': input.commit,
    ...own,
    Description: description,
  };
}

/** Members of the control archive (deb(5)); their digests and sizes come from what was packed. */
function controlEntries(placed: readonly PlannedEntry[], fields: Readonly<Record<string, string>>): PlannedEntry[] {
  const made = (path: string, make: (before: readonly PackedSoFar[]) => string): PlannedEntry => ({
    path,
    mode: 0o644,
    content: { type: 'made', make: (before) => Buffer.from(make(before)) },
  });
  const configuration = placed.flatMap(({ path }) => (path.startsWith('etc/') ? [`/${path}\n`] : []));
  const hasLibrary = placed.some(({ path }) => /^(?:usr\/)?lib\/(?:[^/]+-linux-gnu\w*\/)?[^/]+\.so(?:\.|$)/.test(path));
  return [
    made('./control', (before) => formatControl({ ...fields, 'Installed-Size': String(installedSize(before)) })),
    made('./md5sums', (before) =>
      before
        .flatMap(({ type, path, md5 }) => (type === 'file' ? [`${md5}  ${path.replace(/^\.\//, '')}\n`] : []))
        .join(''),
    ),
    ...(configuration.length > 0 ? [plannedText('./conffiles', configuration.join(''))] : []),
    // deb-triggers(5): the loader's cache is made anew once, when all packages are unpacked.
    ...(hasLibrary ? [plannedText('./triggers', 'activate-noawait ldconfig\n')] : []),
  ];
}

/** In KiB: files rounded up, one for everything else (deb-substvars(5), "Installed-Size"). */
function installedSize(entries: readonly PackedSoFar[]): number {
  return entries.reduce((sum, { type, sizeBytes }) => sum + (type === 'file' ? Math.ceil(sizeBytes / 1024) : 1), 0);
}

/** Copyright and changelog, where Debian Policy §12.5 and §12.7 want them, unless the rules put them there. */
async function documentEntries(
  input: FormInput,
  { name, version, files }: { name: string; version: string; files: readonly PlannedEntry[] },
): Promise<PlannedEntry[]> {
  const folder = `usr/share/doc/${name}`;
  const taken = new Set(files.map(({ path }) => path));
  const licence = input.files.find(({ path }) => /^(?:LICEN[CS]E|COPYING|COPYRIGHT)[^/]*$/i.test(path));
  const found: PlannedEntry[] = [];
  if (!taken.has(`${folder}/copyright`)) {
    if (licence === undefined) throw noLicence(input.packageName);
    const head = `${input.packageName} ${input.version}${input.supplier === null ? '' : `, by ${input.supplier}`}\n\n`;
    found.push(plannedText(`${folder}/copyright`, head + ((await input.read(licence.path)) ?? '')));
  }
  const changelog = `${folder}/changelog.Debian.gz`;
  if (!taken.has(changelog)) {
    const at = new Date(input.sourceTime * 1000);
    const maintainer = input.artifact.control['Maintainer'] ?? '';
    const text = renderDebianStanza({ notes: { ...input.notes, package: name }, version, maintainer, at });
    found.push({ path: changelog, mode: 0o644, content: { type: 'gzipped', text } });
  }
  return found;
}

/** Every folder before what it holds, all paths below `./` (deb(5)). */
function withFolders(placed: readonly PlannedEntry[]): PlannedEntry[] {
  const folders = new Set<string>(['./']);
  for (const { path } of placed) {
    const parts = path.split('/').slice(0, -1);
    for (const index of parts.keys()) folders.add(`./${parts.slice(0, index + 1).join('/')}/`);
  }
  const made = [...folders].map((path): PlannedEntry => ({ path, mode: 0o755, content: { type: 'folder' } }));
  const moved = placed.map((entry) => ({ ...entry, path: `./${entry.path}` }));
  return [...made, ...moved].sort((a, b) => compareBytes(a.path, b.path));
}

function missing(field: string, packageName: string, why: string): BevelstoneError {
  return new BevelstoneError('FIELD_MISSING', {
    message: `the Debian package of ${packageName} has no ${field}`,
    why,
    fix: `Add \`control: { ${field}: … }\` to the artifact`,
    where: { file: 'bevelstone.yaml' },
  });
}

function noLicence(packageName: string): BevelstoneError {
  return new BevelstoneError('CONTENTS_NO_MATCH', {
    message: `${packageName} has no licence file`,
    why: 'every Debian package carries its licence (Debian Policy §12.5)',
    fix: 'Commit LICENSE in the folder of the package',
  });
}
