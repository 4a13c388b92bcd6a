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
  const byId = new Map(sbom.packages.map((one) => [one.id, one]));
  const held = new Map<string, SbomPackage[]>();
  for (const { from, to, type } of sbom.relations) {
    const part = byId.get(to);
    // Artifacts and copies stand inside what holds them.
    if (type === 'contains' && part !== undefined) held.set(from, [...(held.get(from) ?? []), part]);
  }
  const inside = new Set([...held.values()].flat().map(({ id }) => id));
  const kinds = reachKinds(sbom);
  const toComponent = (one: SbomPackage): object => {
    const parts = (held.get(one.id) ?? []).filter(({ id }) => id !== one.id).map(toComponent);
    const components = [...parts, ...(one.files ?? []).map((file, index) => toFile(file, `${one.id}/${index + 1}`))];
    return { ...component(one, kinds.get(one.id) ?? null), ...(components.length === 0 ? {} : { components }) };
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

function component(one: SbomPackage, kind: DependencyKind | null): object {
  const references = [
    ...(one.location === null ? [] : [{ type: one.role === 'source' ? 'vcs' : 'distribution', url: one.location }]),
  ];
  const properties = [
    { name: 'bevelstone:role', value: one.role },
    ...(kind === null ? [] : [{ name: 'bevelstone:dependency', value: kind }]),
    ...one.foundIn.map((value) => ({ name: 'bevelstone:found-in', value })),
    ...(one.comment === null ? [] : [{ name: 'bevelstone:comment', value: one.comment }]),
    ...(one.fileName === null ? [] : [{ name: 'bevelstone:file', value: one.fileName }]),
  ];
  return {
    type: one.role === 'artifact' ? 'file' : 'library',
    'bom-ref': one.id,
    ...(one.supplier === null ? {} : { supplier: { name: one.supplier } }),
    name: one.name,
    ...(one.version === null ? {} : { version: one.version }),
    ...(one.description === null ? {} : { description: one.description }),
    ...(kind === null ? {} : { scope: scopes[kind] }),
    ...(one.digests.length === 0
      ? {}
      : { hashes: one.digests.map(({ algorithm, value }) => ({ alg: algorithm, content: value })) }),
    ...(one.licence === null ? {} : { licenses: licencesOf(one.licence) }),
    ...(one.copyright === null ? {} : { copyright: one.copyright }),
    ...(one.purl === null ? {} : { purl: one.purl }),
    ...(references.length === 0 ? {} : { externalReferences: references }),
    properties,
  };
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
              : [{ expression: licences.map((one) => `(${one})`).join(' AND ') }],
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
