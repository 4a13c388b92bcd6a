import { objectOf, objectsOf, shownText, textOf } from '../manifest/fields.ts';
import { digestLengths } from './digest.ts';
import { isLicenceExpression } from './licence-reference.ts';
import { isListedLicence } from './listed-licence.ts';
import {
  any,
  checkShape,
  flag,
  listOf,
  number,
  oneOf,
  record,
  type SbomProblem,
  type Shape,
  text,
  textLike,
} from './problem.ts';
import { purlProblem } from './purl.ts';
import { newerCycloneDx } from './version-rules.ts';

type Json = Readonly<Record<string, unknown>>;

const moment = textLike(/^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}:\d{2}(?:\.\d+)?(?:Z|[+-]\d{2}:\d{2})$/, 'time of RFC 3339');
const reference = textLike(/^(?!urn:cdx:).+/s, 'reference');
const hashes = listOf(
  record(['alg', 'content'], {
    alg: oneOf(
      'MD5',
      'SHA-1',
      'SHA-256',
      'SHA-384',
      'SHA-512',
      'SHA3-256',
      'SHA3-384',
      'SHA3-512',
      'BLAKE2b-256',
      'BLAKE2b-384',
      'BLAKE2b-512',
      'BLAKE3',
    ),
    content: textLike(
      /^(?:[a-fA-F0-9]{32}|[a-fA-F0-9]{40}|[a-fA-F0-9]{64}|[a-fA-F0-9]{96}|[a-fA-F0-9]{128})$/,
      'digest in hexadecimal',
    ),
  }),
);
const externalReferences = listOf(
  record(['url', 'type'], {
    url: text,
    type: oneOf(
      ...'vcs issue-tracker website advisories bom mailing-list social chat documentation support source-distribution distribution distribution-intake license build-meta build-system release-notes security-contact model-card log configuration evidence formulation attestation threat-model adversary-model risk-assessment vulnerability-assertion exploitability-statement pentest-report static-analysis-report dynamic-analysis-report runtime-analysis-report component-analysis-report maturity-report certification-report codified-infrastructure quality-metrics poam electronic-signature digital-signature rfc-9116 other'.split(
        ' ',
      ),
    ),
    comment: text,
    hashes,
  }),
);
const organisation = record([], {
  'bom-ref': reference,
  name: text,
  address: any,
  url: listOf(text),
  contact: listOf(any),
});
const properties = listOf(record([], { name: text, value: text }));
const licence = record([], {
  'bom-ref': reference,
  id: text,
  name: text,
  text: any,
  url: text,
  acknowledgement: oneOf('declared', 'concluded'),
  licensing: any,
  properties,
});
const licences = listOf(
  record([], {
    license: licence,
    expression: text,
    acknowledgement: oneOf('declared', 'concluded'),
    'bom-ref': reference,
  }),
);

const componentFields: Record<string, Shape> = {
  type: oneOf(
    'application',
    'framework',
    'library',
    'container',
    'platform',
    'operating-system',
    'device',
    'device-driver',
    'firmware',
    'file',
    'machine-learning-model',
    'data',
    'cryptographic-asset',
  ),
  'mime-type': text,
  'bom-ref': reference,
  supplier: organisation,
  manufacturer: organisation,
  authors: listOf(any),
  author: text,
  publisher: text,
  group: text,
  name: text,
  version: text,
  description: text,
  scope: oneOf('required', 'optional', 'excluded'),
  hashes,
  licenses: licences,
  copyright: text,
  cpe: text,
  purl: text,
  omniborId: listOf(text),
  swhid: listOf(text),
  swid: any,
  modified: flag,
  pedigree: any,
  externalReferences,
  evidence: any,
  releaseNotes: any,
  modelCard: any,
  data: any,
  cryptoProperties: any,
  properties,
  tags: listOf(text),
  signature: any,
};
const component = record(['type', 'name'], componentFields);
componentFields['components'] = listOf(component);

const documentShape = record(['bomFormat', 'specVersion'], {
  $schema: text,
  bomFormat: oneOf('CycloneDX'),
  specVersion: textLike(/^1\.[2-6]$/, 'version 1.6 or before'),
  serialNumber: textLike(
    /^urn:uuid:[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/,
    'urn:uuid: with a UUID in lower case',
  ),
  version: number,
  metadata: record([], {
    timestamp: moment,
    lifecycles: any,
    tools: any,
    manufacturer: organisation,
    authors: any,
    component,
    manufacture: organisation,
    supplier: organisation,
    licenses: licences,
    properties,
  }),
  components: listOf(component),
  services: any,
  externalReferences,
  dependencies: listOf(record(['ref'], { ref: text, dependsOn: listOf(text), provides: listOf(text) })),
  compositions: listOf(
    record(['aggregate'], {
      'bom-ref': reference,
      aggregate: oneOf(
        'complete',
        'incomplete',
        'incomplete_first_party_only',
        'incomplete_first_party_proprietary_only',
        'incomplete_first_party_opensource_only',
        'incomplete_third_party_only',
        'incomplete_third_party_proprietary_only',
        'incomplete_third_party_opensource_only',
        'unknown',
        'not_specified',
      ),
      assemblies: listOf(text),
      dependencies: listOf(text),
      vulnerabilities: listOf(text),
      signature: any,
    }),
  ),
  vulnerabilities: any,
  annotations: any,
  formulation: any,
  declarations: any,
  definitions: any,
  properties,
  signature: any,
});

/** Every way in which a document is not CycloneDX of its version: structure, references, digests, licences, package URLs. */
export function checkCycloneDx(document: Json): SbomProblem[] {
  const components = [
    ...walk(objectOf(document['metadata'])['component'], '/metadata/component'),
    ...objectsOf(document['components']).flatMap((item, index) => walk(item, `/components/${index}`)),
  ];
  return [
    ...checkShape(document, documentShape),
    ...newerCycloneDx(document, shownText(document['specVersion'])),
    ...referenceProblems(document, components),
    ...components.flatMap(({ entry, pointer }) => contentProblems(entry, pointer)),
  ];
}

type Placed = { readonly entry: Json; readonly pointer: string };

function walk(value: unknown, pointer: string): Placed[] {
  if (value === undefined) return [];
  const item = objectOf(value);
  return [
    { entry: item, pointer },
    ...objectsOf(item['components']).flatMap((inner, index) => walk(inner, `${pointer}/components/${index}`)),
  ];
}

function referenceProblems(document: Json, components: readonly Placed[]): SbomProblem[] {
  const found: SbomProblem[] = [];
  const known = new Set<string>();
  for (const { entry, pointer } of components) {
    const id = textOf(entry['bom-ref']);
    if (id === null) continue;
    if (known.has(id)) found.push({ pointer: `${pointer}/bom-ref`, message: `${id} occurs twice` });
    known.add(id);
  }
  for (const item of objectsOf(document['services'])) known.add(shownText(item['bom-ref']));
  const asked = new Set<string>();
  for (const [index, { ref, dependsOn }] of objectsOf(document['dependencies']).entries()) {
    if (asked.has(shownText(ref)))
      found.push({ pointer: `/dependencies/${index}/ref`, message: `${shownText(ref)} occurs twice` });
    asked.add(shownText(ref));
    if (!known.has(shownText(ref)))
      found.push({ pointer: `/dependencies/${index}/ref`, message: `unknown element ${shownText(ref)}` });
    for (const [at, to] of [dependsOn ?? []].flat().entries())
      if (!known.has(shownText(to)))
        found.push({ pointer: `/dependencies/${index}/dependsOn/${at}`, message: `unknown element ${shownText(to)}` });
  }
  for (const [index, value] of objectsOf(document['compositions']).entries())
    for (const field of ['assemblies', 'dependencies'] as const)
      for (const [at, to] of [value[field] ?? []].flat().entries())
        if (!known.has(shownText(to)) && !shownText(to).startsWith('urn:cdx:'))
          found.push({ pointer: `/compositions/${index}/${field}/${at}`, message: `unknown element ${shownText(to)}` });
  return found;
}

function contentProblems(item: Json, pointer: string): SbomProblem[] {
  const found: SbomProblem[] = [];
  const purl = textOf(item['purl']);
  const problem = purl === null ? null : purlProblem(purl);
  if (problem !== null) found.push({ pointer: `${pointer}/purl`, message: `invalid package URL: ${problem}` });
  for (const [index, { alg, content }] of objectsOf(item['hashes']).entries()) {
    const length = (digestLengths as Readonly<Record<string, number>>)[shownText(alg)];
    if (length !== undefined && typeof content === 'string' && content.length !== length)
      found.push({
        pointer: `${pointer}/hashes/${index}/content`,
        message: `a ${alg} has ${length} digits, this one has ${content.length}`,
      });
  }
  const licences = objectsOf(item['licenses']);
  // The schema takes a list of licences, or one expression.
  if (licences.some(({ expression }) => expression !== undefined) && licences.length > 1)
    found.push({ pointer: `${pointer}/licenses`, message: 'an expression must stand alone' });
  for (const [index, each] of licences.entries()) {
    const place = `${pointer}/licenses/${index}`;
    const inner = objectOf(each['license']);
    if (each['license'] === undefined && each['expression'] === undefined)
      found.push({ pointer: place, message: 'it is neither a licence nor an expression' });
    if (typeof each['expression'] === 'string' && !isLicenceExpression(each['expression']))
      found.push({
        pointer: `${place}/expression`,
        message: `"${shownText(each['expression'])}" is not a licence expression`,
      });
    if (typeof inner['id'] === 'string' && !isListedLicence(inner['id']))
      found.push({
        pointer: `${place}/license/id`,
        message: `"${shownText(inner['id'])}" is not on the SPDX licence list`,
      });
    if (each['license'] !== undefined && (inner['id'] === undefined) === (inner['name'] === undefined))
      found.push({ pointer: `${place}/license`, message: 'it needs either an id or a name' });
  }
  return found;
}
