import { XMLBuilder } from 'fast-xml-parser';
import { parseXml } from '../../manifest/xml.ts';

/** What a release writes into a nuspec. */
export type NuspecRelease = {
  readonly version: string;
  readonly commit: string;
  readonly notes: string;
  /** Path of the readme in the package; null for none. */
  readonly readme: string | null;
  /** Target frameworks with a folder of their own. */
  readonly frameworks: readonly string[];
  readonly isSymbols: boolean;
};

/** A node as the parser gives it with order kept: its children under its name, its attributes under `:@`. */
type Node = { [name: string]: Node[] | string | Record<string, string> };

const options = {
  preserveOrder: true,
  ignoreAttributes: false,
  attributeNamePrefix: '@',
  parseTagValue: false,
  parseAttributeValue: false,
  processEntities: false,
  trimValues: true,
};

// A symbols package may carry none of these (the format's own rule), and the files are not inside.
const notForSymbols = [
  'readme',
  'icon',
  'license',
  'licenseUrl',
  'iconUrl',
  'contentFiles',
  'references',
  'dependencies',
  'tags',
];

/**
 * The nuspec as it lies in the package: the maintainer's, with version, commit, release notes and readme of the release, and
 * a dependency group for every target framework that has files. `<files>` only tells how to pack, so it goes.
 */
export function rewriteNuspec(text: string, release: NuspecRelease): string {
  const document = parseXml(text, 'the nuspec', options) as unknown as Node[];
  const root = document.find((node) => node['package'] !== undefined);
  const children = childrenOf(root, 'package').filter((node) => node['files'] === undefined);
  const metadata = children.find((node) => node['metadata'] !== undefined);
  if (root === undefined || metadata === undefined) throw new Error('a nuspec was not checked');
  metadata['metadata'] = releaseMetadata(childrenOf(metadata, 'metadata'), release);
  root['package'] = children;
  const xml = new XMLBuilder({ ...options, format: true, suppressEmptyNode: true }).build([root]) as string;
  return `<?xml version="1.0" encoding="utf-8"?>\n${xml.trim()}\n`;
}

function releaseMetadata(
  nodes: Node[],
  { version, commit, notes, readme, frameworks, isSymbols }: NuspecRelease,
): Node[] {
  const has = (name: string) => nodes.some((node) => node[name] !== undefined);
  let result = withText(nodes, 'version', version);
  const repository = nodes.find((node) => node['repository'] !== undefined);
  const attributes = { '@type': 'git', ...((repository?.[':@'] as Record<string, string>) ?? {}), '@commit': commit };
  result = [...without(result, ['repository']), { repository: [], ':@': attributes }];
  if (isSymbols) {
    const packageTypes: Node = { packageTypes: [{ packageType: [], ':@': { '@name': 'SymbolsPackage' } }] };
    return [...without(result, [...notForSymbols, 'packageTypes']), packageTypes];
  }
  if (!has('releaseNotes')) result.push({ releaseNotes: [{ '#text': escapeText(notes) }] });
  if (!has('readme') && readme !== null) result.push({ readme: [{ '#text': escapeText(readme) }] });
  return withGroups(result, frameworks);
}

/** Loose dependencies hold for every framework; groups stay, and a framework without one gets an empty one. */
function withGroups(nodes: Node[], frameworks: readonly string[]): Node[] {
  if (frameworks.length === 0) return nodes;
  const table = childrenOf(
    nodes.find((node) => node['dependencies'] !== undefined),
    'dependencies',
  );
  const loose = table.filter((node) => node['dependency'] !== undefined);
  const groups = table.filter((node) => node['group'] !== undefined);
  const named = new Set(
    groups.map((group) => (group[':@'] as Record<string, string> | undefined)?.['@targetFramework']),
  );
  const missing = frameworks
    .filter((framework) => !named.has(framework))
    .map((framework): Node => ({ group: loose, ':@': { '@targetFramework': framework } }));
  return [...without(nodes, ['dependencies']), { dependencies: [...groups, ...missing] }];
}

function childrenOf(node: Node | undefined, name: string): Node[] {
  const value = node?.[name];
  return Array.isArray(value) ? value : [];
}

function withText(nodes: Node[], name: string, value: string): Node[] {
  const element: Node = { [name]: [{ '#text': escapeText(value) }] };
  if (!nodes.some((node) => node[name] !== undefined)) return [...nodes, element];
  return nodes.map((node) => (node[name] === undefined ? node : element));
}

function without(nodes: readonly Node[], names: readonly string[]): Node[] {
  return nodes.filter((node) => !names.some((name) => node[name] !== undefined));
}

function escapeText(text: string): string {
  return text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;');
}
