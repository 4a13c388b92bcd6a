import { isLicenceExpression } from './licence-reference.ts';
import { isListedLicence } from './listed-licence.ts';
import { reachKinds } from './reach-kinds.ts';
import type { DependencyKind, Sbom, SbomFile, SbomPackage } from './sbom.ts';
import { stableUuid } from './stable-uuid.ts';

const scopes: Readonly<Record<DependencyKind, string>> = {
  run: 'required',
  peer: 'required',
  optional: 'optional',
  build: 'excluded',
  development: 'excluded',
};

/** An SBOM as a CycloneDX 1.6 document in JSON (ECMA-424, field names of its JSON schema). */
export function formatCycloneDx(sbom: Sbom): string {
  const byId = new Map(sbom.packages.map((pkg) => [pkg.id, pkg]));
  const held = new Map<string, SbomPackage[]>();
  for (const { from, to, type } of sbom.relations) {
    const part = byId.get(to);
    // Artifacts and copies stand inside what holds them.
    if (type === 'contains' && part !== undefined) held.set(from, [...(held.get(from) ?? []), part]);
  }
  const inside = new Set([...held.values()].flat().map(({ id }) => id));
  const kinds = reachKinds(sbom);
  const toComponent = (pkg: SbomPackage): object => {
    const parts = (held.get(pkg.id) ?? []).filter(({ id }) => id !== pkg.id).map(toComponent);
    const components = [...parts, ...(pkg.files ?? []).map((file, index) => toFile(file, `${pkg.id}/${index + 1}`))];
    return { ...component(pkg, kinds.get(pkg.id) ?? null), ...(components.length === 0 ? {} : { components }) };
  };
  const [first, ...others] = sbom.subjects.flatMap((id) => byId.get(id) ?? []);
  const rest = sbom.packages.filter(({ id }) => !sbom.subjects.includes(id) && !inside.has(id));
  const body = {
    metadata: {
      timestamp: sbom.created,
      tools: { components: [{ type: 'application', name: toolName(sbom.tool), version: toolVersion(sbom.tool) }] },
      ...(first === undefined ? {} : { component: toComponent(first) }),
      ...(sbom.organisation === null ? {} : { supplier: { name: sbom.organisation } }),
    },
    components: [...others, ...rest].map(toComponent),
    dependencies: dependenciesOf(sbom),
    compositions: [{ aggregate: sbom.unknown.length === 0 ? 'complete' : 'incomplete', dependencies: sbom.subjects }],
    ...(sbom.unknown.length === 0
      ? {}
      : { properties: sbom.unknown.map((value) => ({ name: 'bevelstone:unknown', value })) }),
  };
  const serialNumber = `urn:uuid:${stableUuid(JSON.stringify(body))}`;
  const head = { bomFormat: 'CycloneDX', specVersion: '1.6', serialNumber, version: 1 };
  return `${JSON.stringify({ ...head, ...body }, null, 1)}\n`;
}

function component(pkg: SbomPackage, kind: DependencyKind | null): object {
  const isPatched = pkg.patches.length > 0;
  const references = [
    ...(pkg.location === null ? [] : [{ type: pkg.role === 'source' ? 'vcs' : 'distribution', url: pkg.location }]),
  ];
  const properties = [
    { name: 'bevelstone:role', value: pkg.role },
    ...(kind === null ? [] : [{ name: 'bevelstone:dependency', value: kind }]),
    ...pkg.foundIn.map((value) => ({ name: 'bevelstone:found-in', value })),
    ...(pkg.comment === null ? [] : [{ name: 'bevelstone:comment', value: pkg.comment }]),
    ...(pkg.fileName === null ? [] : [{ name: 'bevelstone:file', value: pkg.fileName }]),
  ];
  return {
    type: pkg.role === 'artifact' ? 'file' : 'library',
    'bom-ref': pkg.id,
    ...(pkg.supplier === null ? {} : { supplier: { name: pkg.supplier } }),
    name: pkg.name,
    ...(pkg.version === null ? {} : { version: pkg.version }),
    ...(pkg.description === null ? {} : { description: pkg.description }),
    ...(kind === null ? {} : { scope: scopes[kind] }),
    ...(pkg.digests.length === 0 || isPatched ? {} : { hashes: hashesOf(pkg) }),
    ...(pkg.licence === null ? {} : { licenses: licencesOf(pkg.licence) }),
    ...(pkg.copyright === null ? {} : { copyright: pkg.copyright }),
    ...(pkg.purl === null ? {} : { purl: pkg.purl }),
    ...(references.length === 0 || isPatched ? {} : { externalReferences: references }),
    ...(isPatched ? { pedigree: pedigreeOf(pkg, references) } : {}),
    properties,
  };
}

function hashesOf({ digests }: SbomPackage): object[] {
  return digests.map(({ algorithm, value }) => ({ alg: algorithm, content: value }));
}

/** The package as its makers published it, and what was changed (CycloneDX 1.6, `pedigree`). */
function pedigreeOf(pkg: SbomPackage, references: readonly object[]): object {
  const ancestor = {
    type: 'library',
    name: pkg.name,
    ...(pkg.version === null ? {} : { version: pkg.version }),
    ...(pkg.digests.length === 0 ? {} : { hashes: hashesOf(pkg) }),
    ...(references.length === 0 ? {} : { externalReferences: references }),
  };
  const patches = pkg.patches.map(({ file, base64 }) => ({
    type: 'unofficial',
    diff: {
      ...(base64 === null ? {} : { text: { contentType: 'text/x-diff', encoding: 'base64', content: base64 } }),
      url: file,
    },
  }));
  const digests = pkg.patches.map(({ file, sha1, sha256 }) => `${file} sha1:${sha1} sha256:${sha256}`);
  return { ancestors: [ancestor], patches, notes: digests.join('\n') };
}

function toFile({ path, sha1, sha256, licences, copyright }: SbomFile, reference: string): object {
  return {
    type: 'file',
    'bom-ref': reference,
    name: path,
    hashes: [
      { alg: 'SHA-1', content: sha1 },
      { alg: 'SHA-256', content: sha256 },
    ],
    // One expression, or a list of single licences, never both.
    ...(licences.length === 0
      ? {}
      : {
          licenses:
            licences.length === 1
              ? licencesOf(licences[0] ?? '')
              : [{ expression: licences.map((licence) => `(${licence})`).join(' AND ') }],
        }),
    ...(copyright === null ? {} : { copyright }),
  };
}

function licencesOf(licence: string): object[] {
  if (isListedLicence(licence)) return [{ license: { id: licence } }];
  return [
    isLicenceExpression(licence)
      ? { expression: licence }
      : { license: { name: licence.split('\n')[0]?.slice(0, 200) } },
  ];
}

function dependenciesOf({ packages, relations }: Sbom): object[] {
  const needs = new Map<string, Set<string>>(packages.map(({ id }) => [id, new Set()]));
  for (const { from, to, type } of relations) if (type !== 'contains') needs.get(from)?.add(to);
  return [...needs].map(([ref, all]) => ({ ref, ...(all.size === 0 ? {} : { dependsOn: [...all].sort() }) }));
}

function toolName(tool: string): string {
  return tool.replace(/-\d[^-]*$/, '') || 'unknown';
}

function toolVersion(tool: string): string {
  return /-(\d[^-]*)$/.exec(tool)?.[1] ?? '0';
}
