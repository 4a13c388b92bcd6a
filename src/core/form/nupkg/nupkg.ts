import { createHash } from 'node:crypto';
import { renderPlainText } from '../../changelog/plain-text.ts';
import { compareBytes } from '../../contents/entry.ts';
import type { Staged } from '../../contents/select.ts';
import { BevelstoneError } from '../../error/bevelstone-error.ts';
import { textOf } from '../../manifest/fields.ts';
import { parseNuspec } from '../../manifest/nuspec.ts';
import { contentsNeeded } from '../contents-needed.ts';
import { type FormInput, type Layout, spelt } from '../layout.ts';
import { type ArtifactPlan, type PlannedEntry, plannedFile, plannedText } from '../plan.ts';
import { rewriteNuspec } from './rewrite-nuspec.ts';

/** A package for .NET: nuspec and files as parts of an OPC package (ECMA-376 part 2; ".nuspec reference"). */
export const nupkg: Layout = {
  select: async ({ packageName }) => {
    throw contentsNeeded(packageName, 'nupkg', []);
  },
  plan: async (input, staged) => planPackage(input, staged, 'nupkg'),
};

/** The symbols that belong to a package: its .pdb files and a nuspec of type SymbolsPackage. */
export const snupkg: Layout = {
  select: async ({ packageName }) => {
    throw contentsNeeded(packageName, 'snupkg', []);
  },
  plan: async (input, staged) => {
    const symbols = staged.filter(({ path }) => path.endsWith('.pdb'));
    if (symbols.length === 0) throw contentsNeeded(input.packageName, 'snupkg', ['**/*.pdb']);
    return planPackage(input, symbols, 'snupkg');
  },
};

async function planPackage(
  input: FormInput,
  staged: readonly Staged[],
  form: 'nupkg' | 'snupkg',
): Promise<ArtifactPlan> {
  const text = input.manifestPath?.endsWith('.nuspec') === true ? await input.read(input.manifestPath) : null;
  if (text === null || input.manifestPath === null) throw noNuspec(input.packageName);
  const version = spelt(input, 'nuget');
  const id = textOf(parseNuspec(text, input.manifestPath)['id']) ?? input.packageName;
  const nuspec = rewriteNuspec(text, {
    version,
    commit: input.commit,
    notes: renderPlainText(input.notes).trim(),
    readme: staged.find(({ path }) => /^readme\.md$/i.test(path))?.path ?? null,
    frameworks: frameworksOf(staged.map(({ path }) => path)),
    isSymbols: form === 'snupkg',
  });
  const mark = createHash('sha256').update(`${id} ${version}`).digest('hex').slice(0, 32);
  const properties = `package/services/metadata/core-properties/${mark}.psmdcp`;
  const files = staged.map((staged) => plannedFile({ ...staged, path: partPath(staged.path) }));
  const parts = [plannedText(`${id}.nuspec`, nuspec), ...files.sort((a, b) => compareBytes(a.path, b.path))];
  const entries = [
    plannedText('_rels/.rels', relationships(`${id}.nuspec`, properties)),
    ...parts,
    plannedText('[Content_Types].xml', contentTypes(parts)),
    plannedText(properties, coreProperties(input, id, version)),
  ];
  return { fileName: `${id}.${version}.${form}`, container: 'zip', entries, comment: null, metadata: '' };
}

/** Target frameworks that have a folder of their own in `lib/` or `ref/`, sorted. */
export function frameworksOf(paths: readonly string[]): string[] {
  const found = paths.flatMap((path) => /^(?:lib|ref)\/([^/]+)\//.exec(path)?.[1] ?? []);
  return [...new Set(found)].sort(compareBytes);
}

/** A part's name is an address, so its segments are escaped (ECMA-376 part 2 §6.2.2). */
function partPath(path: string): string {
  return path
    .split('/')
    .map((part) => encodeURIComponent(part).replace(/%(?:2B|40|24|26|2C|3B|3D|3A)/g, decodeURIComponent))
    .join('/');
}

/** Package relationships (ECMA-376 part 2 §6.5): what is the manifest, what are the core properties. */
function relationships(nuspec: string, properties: string): string {
  const item = (type: string, target: string) =>
    `  <Relationship Type="${type}" Target="/${escapeXml(target)}" Id="R${createHash('sha256').update(target).digest('hex').slice(0, 16).toUpperCase()}" />\n`;
  return [
    '<?xml version="1.0" encoding="utf-8"?>\n',
    '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">\n',
    item('http://schemas.microsoft.com/packaging/2010/07/manifest', nuspec),
    item('http://schemas.openxmlformats.org/package/2006/relationships/metadata/core-properties', properties),
    '</Relationships>\n',
  ].join('');
}

/** A content type for every part (ECMA-376 part 2 §6.2.3): by ending, or by name where there is no ending. */
function contentTypes(parts: readonly PlannedEntry[]): string {
  const types = new Map([
    ['rels', 'application/vnd.openxmlformats-package.relationships+xml'],
    ['psmdcp', 'application/vnd.openxmlformats-package.core-properties+xml'],
  ]);
  const single: string[] = [];
  for (const { path } of parts) {
    const ending = /\.([^./]+)$/.exec(path)?.[1]?.toLowerCase();
    if (ending === undefined) single.push(path);
    else if (!types.has(ending)) types.set(ending, 'application/octet');
  }
  const defaults = [...types].map(
    ([ending, type]) => `  <Default Extension="${escapeXml(ending)}" ContentType="${type}" />\n`,
  );
  const overrides = single.map(
    (path) => `  <Override PartName="/${escapeXml(path)}" ContentType="application/octet" />\n`,
  );
  return [
    '<?xml version="1.0" encoding="utf-8"?>\n',
    '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">\n',
    ...defaults,
    ...overrides,
    '</Types>\n',
  ].join('');
}

/** Core properties (ECMA-376 part 2 §8). */
function coreProperties({ manifest, supplier, programVersion }: FormInput, id: string, version: string): string {
  const fields = [
    ['dc:creator', supplier ?? id],
    ['dc:description', manifest?.description ?? ''],
    ['dc:identifier', id],
    ['version', version],
    ['lastModifiedBy', `bevelstone ${programVersion}`],
  ];
  return [
    '<?xml version="1.0" encoding="utf-8"?>\n',
    '<coreProperties xmlns="http://schemas.openxmlformats.org/package/2006/metadata/core-properties" ',
    'xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:dcterms="http://purl.org/dc/terms/" ',
    'xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance">\n',
    ...fields.map(([name, value = '']) => `  <${name}>${escapeXml(value)}</${name}>\n`),
    '</coreProperties>\n',
  ].join('');
}

function escapeXml(text: string): string {
  const entities: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' };
  return text.replace(/[&<>"]/g, (character) => entities[character] ?? character);
}

function noNuspec(packageName: string): BevelstoneError {
  return new BevelstoneError('FIELD_MISSING', {
    message: `${packageName} has no ${packageName}.nuspec`,
    why: 'a nupkg is described by its nuspec: id, authors, description, dependencies',
    fix: `Commit ${packageName}.nuspec in the folder of the package`,
  });
}
