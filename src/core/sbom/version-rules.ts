import { objectOf, objectsOf, shownText } from '../manifest/fields.ts';
import type { SbomProblem } from './problem.ts';

type Json = Readonly<Record<string, unknown>>;

/** Something that a version of a format does not have yet. */
type Newer = {
  readonly since: string;
  readonly fields?: readonly string[];
  readonly values?: Readonly<Record<string, readonly string[]>>;
};

// The schemas of CycloneDX 1.5 and 1.6, compared with that of the version before.
const componentNews: readonly Newer[] = [
  { since: '1.5', fields: ['modelCard', 'data'] },
  { since: '1.6', fields: ['manufacturer', 'authors', 'omniborId', 'swhid', 'cryptoProperties', 'tags'] },
  { since: '1.5', values: { type: ['platform', 'device-driver', 'machine-learning-model', 'data'] } },
  { since: '1.6', values: { type: ['cryptographic-asset'] } },
];
const documentNews: readonly Newer[] = [
  { since: '1.5', fields: ['annotations', 'formulation'] },
  { since: '1.6', fields: ['declarations', 'definitions'] },
];
const metadataNews: readonly Newer[] = [
  { since: '1.5', fields: ['lifecycles'] },
  { since: '1.6', fields: ['manufacturer'] },
];
const referenceNews: readonly Newer[] = [
  {
    since: '1.5',
    values: {
      type: 'distribution-intake security-contact model-card log configuration evidence formulation attestation threat-model adversary-model risk-assessment vulnerability-assertion exploitability-statement pentest-report static-analysis-report dynamic-analysis-report runtime-analysis-report component-analysis-report maturity-report certification-report codified-infrastructure quality-metrics poam'.split(
        ' ',
      ),
    },
  },
  { since: '1.6', values: { type: ['source-distribution', 'electronic-signature', 'digital-signature', 'rfc-9116'] } },
];

// SPDX 2.3, annex I.1: what is new since 2.2.
const packageNews: readonly Newer[] = [
  { since: '2.3', fields: ['primaryPackagePurpose', 'releaseDate', 'builtDate', 'validUntilDate'] },
];
const checksumNews: readonly Newer[] = [
  {
    since: '2.3',
    values: {
      algorithm: ['SHA3-256', 'SHA3-384', 'SHA3-512', 'BLAKE2b-256', 'BLAKE2b-384', 'BLAKE2b-512', 'BLAKE3', 'ADLER32'],
    },
  },
];
const relationshipNews: readonly Newer[] = [
  { since: '2.3', values: { relationshipType: ['REQUIREMENT_DESCRIPTION_FOR', 'SPECIFICATION_FOR'] } },
];
/** Mandatory until 2.2. */
const oncePackages = ['licenseConcluded', 'licenseDeclared', 'copyrightText'];

/** What a CycloneDX document has that its own version does not know. */
export function newerCycloneDx(document: Json, version: string): SbomProblem[] {
  const found: SbomProblem[] = [];
  const look = (item: Json, pointer: string, news: readonly Newer[]) =>
    found.push(...newerIn({ item, pointer, news, version }));
  look(document, '', documentNews);
  const metadata = objectOf(document['metadata']);
  look(metadata, '/metadata', metadataNews);
  if (isBefore(version, '1.5') && metadata['tools'] !== undefined && !Array.isArray(metadata['tools']))
    found.push({ pointer: '/metadata/tools', message: `a list until CycloneDX 1.5, and this is ${version}` });
  const components: [Json, string][] = objectsOf(document['components']).map((item, index) => [
    item,
    `/components/${index}`,
  ]);
  if (metadata['component'] !== undefined) components.push([objectOf(metadata['component']), '/metadata/component']);
  for (let next = components.pop(); next !== undefined; next = components.pop()) {
    const [item, pointer] = next;
    look(item, pointer, componentNews);
    for (const [index, inner] of objectsOf(item['components']).entries())
      components.push([inner, `${pointer}/components/${index}`]);
    for (const [index, reference] of objectsOf(item['externalReferences']).entries())
      look(reference, `${pointer}/externalReferences/${index}`, referenceNews);
  }
  return found;
}

/** What an SPDX document has that its own version does not know, or lacks that it still asks for. */
export function otherSpdx(document: Json, version: string): SbomProblem[] {
  const found: SbomProblem[] = [];
  const look = (item: Json, pointer: string, news: readonly Newer[]) =>
    found.push(...newerIn({ item, pointer, news, version }));
  for (const [index, item] of objectsOf(document['packages']).entries()) {
    look(item, `/packages/${index}`, packageNews);
    for (const [at, sum] of objectsOf(item['checksums']).entries())
      look(sum, `/packages/${index}/checksums/${at}`, checksumNews);
    for (const field of isBefore(version, '2.3') ? oncePackages : [])
      if (item[field] === undefined)
        found.push({ pointer: `/packages/${index}`, message: `it has no ${field}, which SPDX ${version} asks for` });
  }
  for (const [index, item] of objectsOf(document['relationships']).entries())
    look(item, `/relationships/${index}`, relationshipNews);
  return found;
}

function newerIn({
  item,
  pointer,
  news,
  version,
}: {
  readonly item: Json;
  readonly pointer: string;
  readonly news: readonly Newer[];
  readonly version: string;
}): SbomProblem[] {
  return news
    .filter(({ since }) => isBefore(version, since))
    .flatMap(({ since, fields = [], values = {} }) => [
      ...fields
        .filter((field) => item[field] !== undefined)
        .map((field) => ({
          pointer: `${pointer}/${field}`,
          message: `came with version ${since}, and this is ${version}`,
        })),
      ...Object.entries(values)
        .filter(([field, list]) => list.includes(shownText(item[field])))
        .map(([field]) => ({
          pointer: `${pointer}/${field}`,
          message: `${shownText(item[field])} came with version ${since}, and this is ${version}`,
        })),
    ]);
}

/** Both are two numbers with a dot. */
function isBefore(version: string, other: string): boolean {
  const [a = 0, b = 0] = version.split('.').map(Number);
  const [c = 0, d = 0] = other.split('.').map(Number);
  return a < c || (a === c && b < d);
}
