import { objectOf, objectsOf, shownText, textOf } from '../manifest/fields.ts';
import { digestLengths } from './digest.ts';
import { isLicenceExpression } from './licence-reference.ts';
import { any, checkShape, flag, listOf, number, oneOf, record, type SbomProblem, text, textLike } from './problem.ts';
import { purlProblem } from './purl.ts';
import { verificationCode } from './verification-code.ts';
import { otherSpdx } from './version-rules.ts';

type Json = Readonly<Record<string, unknown>>;

const elementId = textLike(
  /^(?:DocumentRef-[A-Za-z0-9.+-]+:)?SPDXRef-[A-Za-z0-9.-]+$/,
  'SPDX identifier (SPDXRef- and letters, digits, dots, hyphens)',
);
const ownId = textLike(/^SPDXRef-[A-Za-z0-9.-]+$/, 'SPDX identifier (SPDXRef- and letters, digits, dots, hyphens)');
const moment = textLike(/^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}:\d{2}Z$/, 'time such as 2026-11-23T08:00:00Z');
const actor = textLike(
  /^(?:NOASSERTION|(?:Person|Organization): .+)$/,
  'actor: NOASSERTION, Person: … or Organization: …',
);
// §8.4.3; hexadecimal digits are checked against the algorithm's length below.
const algorithms = [
  'SHA1',
  'SHA224',
  'SHA256',
  'SHA384',
  'SHA512',
  'SHA3-256',
  'SHA3-384',
  'SHA3-512',
  'BLAKE2b-256',
  'BLAKE2b-384',
  'BLAKE2b-512',
  'BLAKE3',
  'MD2',
  'MD4',
  'MD5',
  'MD6',
  'ADLER32',
];
const checksums = listOf(
  record(['algorithm', 'checksumValue'], {
    algorithm: oneOf(...algorithms),
    checksumValue: textLike(/^[0-9a-f]+$/, 'digest in lower case hexadecimal'),
  }),
);
const annotations = listOf(
  record(['annotationDate', 'annotationType', 'annotator', 'comment'], {
    annotationDate: moment,
    annotationType: oneOf('REVIEW', 'OTHER'),
    annotator: text,
    comment: text,
  }),
);

/** SPDX 2.3 §11.1, table 68. */
const relationshipTypes =
  'DESCRIBES DESCRIBED_BY CONTAINS CONTAINED_BY DEPENDS_ON DEPENDENCY_OF DEPENDENCY_MANIFEST_OF BUILD_DEPENDENCY_OF DEV_DEPENDENCY_OF OPTIONAL_DEPENDENCY_OF PROVIDED_DEPENDENCY_OF TEST_DEPENDENCY_OF RUNTIME_DEPENDENCY_OF EXAMPLE_OF GENERATES GENERATED_FROM ANCESTOR_OF DESCENDANT_OF VARIANT_OF DISTRIBUTION_ARTIFACT PATCH_FOR PATCH_APPLIED COPY_OF FILE_ADDED FILE_DELETED FILE_MODIFIED EXPANDED_FROM_ARCHIVE DYNAMIC_LINK STATIC_LINK DATA_FILE_OF TEST_CASE_OF BUILD_TOOL_OF DEV_TOOL_OF TEST_OF TEST_TOOL_OF DOCUMENTATION_OF OPTIONAL_COMPONENT_OF METAFILE_OF PACKAGE_OF AMENDS PREREQUISITE_FOR HAS_PREREQUISITE REQUIREMENT_DESCRIPTION_FOR SPECIFICATION_FOR OTHER'.split(
    ' ',
  );

const packageShape = record(['SPDXID', 'name', 'downloadLocation'], {
  SPDXID: ownId,
  name: text,
  versionInfo: text,
  packageFileName: text,
  supplier: actor,
  originator: actor,
  downloadLocation: text,
  filesAnalyzed: flag,
  packageVerificationCode: record(['packageVerificationCodeValue'], {
    packageVerificationCodeValue: textLike(/^[0-9a-f]{40}$/, 'SHA-1 in hexadecimal'),
    packageVerificationCodeExcludedFiles: listOf(text),
  }),
  checksums,
  homepage: text,
  sourceInfo: text,
  licenseConcluded: text,
  licenseInfoFromFiles: listOf(text),
  licenseDeclared: text,
  licenseComments: text,
  copyrightText: text,
  summary: text,
  description: text,
  comment: text,
  externalRefs: listOf(
    record(['referenceCategory', 'referenceType', 'referenceLocator'], {
      referenceCategory: oneOf(
        'SECURITY',
        'PACKAGE-MANAGER',
        'PACKAGE_MANAGER',
        'PERSISTENT-ID',
        'PERSISTENT_ID',
        'OTHER',
      ),
      referenceType: text,
      referenceLocator: text,
      comment: text,
    }),
  ),
  attributionTexts: listOf(text),
  annotations,
  hasFiles: listOf(ownId),
  primaryPackagePurpose: oneOf(
    'APPLICATION',
    'FRAMEWORK',
    'LIBRARY',
    'CONTAINER',
    'OPERATING-SYSTEM',
    'OPERATING_SYSTEM',
    'DEVICE',
    'FIRMWARE',
    'SOURCE',
    'ARCHIVE',
    'FILE',
    'INSTALL',
    'OTHER',
  ),
  releaseDate: moment,
  builtDate: moment,
  validUntilDate: moment,
});

const fileShape = record(['SPDXID', 'fileName', 'checksums'], {
  SPDXID: ownId,
  fileName: text,
  fileTypes: listOf(
    oneOf(
      'SOURCE',
      'BINARY',
      'ARCHIVE',
      'APPLICATION',
      'AUDIO',
      'IMAGE',
      'TEXT',
      'VIDEO',
      'DOCUMENTATION',
      'SPDX',
      'OTHER',
    ),
  ),
  checksums,
  licenseConcluded: text,
  licenseInfoInFiles: listOf(text),
  licenseComments: text,
  copyrightText: text,
  comment: text,
  noticeText: text,
  fileContributors: listOf(text),
  attributionTexts: listOf(text),
  annotations,
  artifactOfs: listOf(any),
  fileDependencies: listOf(text),
});

const documentShape = record(['spdxVersion', 'dataLicense', 'SPDXID', 'name', 'documentNamespace', 'creationInfo'], {
  spdxVersion: textLike(/^SPDX-2\.[23]$/, 'version SPDX-2.3'),
  dataLicense: oneOf('CC0-1.0'),
  SPDXID: oneOf('SPDXRef-DOCUMENT'),
  name: text,
  documentNamespace: textLike(/^[a-z][a-z0-9+.-]*:[^#\s]+$/i, 'URI without #'),
  documentDescribes: listOf(ownId),
  externalDocumentRefs: listOf(
    record(['externalDocumentId', 'checksum', 'spdxDocument'], {
      externalDocumentId: text,
      checksum: any,
      spdxDocument: text,
    }),
  ),
  comment: text,
  creationInfo: record(['created', 'creators'], {
    created: moment,
    creators: listOf(textLike(/^(?:Person|Organization|Tool): .+/, 'creator: Person: …, Organization: … or Tool: …')),
    licenseListVersion: text,
    comment: text,
  }),
  packages: listOf(packageShape),
  files: listOf(fileShape),
  snippets: listOf(any),
  hasExtractedLicensingInfos: listOf(
    record(['licenseId', 'extractedText'], {
      licenseId: textLike(/^LicenseRef-[A-Za-z0-9.-]+$/, 'LicenseRef-'),
      extractedText: text,
      name: text,
      comment: text,
      crossRefs: listOf(any),
      seeAlsos: listOf(text),
    }),
  ),
  relationships: listOf(
    record(['spdxElementId', 'relationshipType', 'relatedSpdxElement'], {
      spdxElementId: elementId,
      relationshipType: oneOf(...relationshipTypes),
      relatedSpdxElement: textLike(
        /^(?:NONE|NOASSERTION|(?:DocumentRef-[A-Za-z0-9.+-]+:)?SPDXRef-[A-Za-z0-9.-]+)$/,
        'SPDX identifier',
      ),
      comment: text,
    }),
  ),
  annotations,
  revieweds: listOf(any),
  version: number,
});

/** Every way in which a document is not SPDX of its version, 2.2 or 2.3: structure, identifiers, references, digests, licences, package URLs, codes. */
export function checkSpdx(document: Json): SbomProblem[] {
  return [
    ...checkShape(document, documentShape),
    ...otherSpdx(document, shownText(document['spdxVersion']).replace(/^SPDX-/, '')),
    ...checkReferences(document),
    ...checkContents(document),
  ];
}

function checkReferences(document: Json): SbomProblem[] {
  const found: SbomProblem[] = [];
  const known = new Set(['SPDXRef-DOCUMENT']);
  for (const part of ['packages', 'files', 'snippets'] as const)
    for (const [index, value] of objectsOf(document[part]).entries()) {
      const id = textOf(value['SPDXID']);
      if (id !== null && known.has(id))
        found.push({ pointer: `/${part}/${index}/SPDXID`, message: `${id} occurs twice` });
      if (id !== null) known.add(id);
    }
  const isThere = (id: unknown) =>
    typeof id !== 'string' || known.has(id) || id.startsWith('DocumentRef-') || id === 'NONE' || id === 'NOASSERTION';
  let describes = Array.isArray(document['documentDescribes']) && document['documentDescribes'].length > 0;
  for (const [index, value] of objectsOf(document['relationships']).entries()) {
    if (value['relationshipType'] === 'DESCRIBES' || value['relationshipType'] === 'DESCRIBED_BY') describes = true;
    for (const field of ['spdxElementId', 'relatedSpdxElement'] as const)
      if (!isThere(value[field]))
        found.push({
          pointer: `/relationships/${index}/${field}`,
          message: `unknown element ${shownText(value[field])}`,
        });
  }
  for (const [index, id] of [document['documentDescribes'] ?? []].flat().entries())
    if (!isThere(id)) found.push({ pointer: `/documentDescribes/${index}`, message: `unknown element ${id}` });
  if (!describes)
    found.push({ pointer: '', message: 'it does not say what it describes (relationship DESCRIBES, §11.1)' });
  return found;
}

function checkContents(document: Json): SbomProblem[] {
  const refs = new Set(objectsOf(document['hasExtractedLicensingInfos']).map(({ licenseId }) => licenseId));
  const files = new Map(objectsOf(document['files']).map((item) => [shownText(item['SPDXID']), item]));
  const owned = new Map<string, string[]>();
  for (const { spdxElementId, relationshipType, relatedSpdxElement } of objectsOf(document['relationships']))
    if (relationshipType === 'CONTAINS' && files.has(shownText(relatedSpdxElement))) {
      const own = owned.get(shownText(spdxElementId)) ?? [];
      own.push(shownText(relatedSpdxElement));
      owned.set(shownText(spdxElementId), own);
    }
  const packages = objectsOf(document['packages']).flatMap((item, index) => [
    ...licenceProblems({
      entry: item,
      fields: ['licenseConcluded', 'licenseDeclared', 'licenseInfoFromFiles'],
      pointer: `/packages/${index}`,
      refs,
    }),
    ...digestProblems(item, `/packages/${index}`),
    ...purlProblems(item, `/packages/${index}`),
    ...codeProblems({ entry: item, pointer: `/packages/${index}`, owned, files }),
  ]);
  const inFiles = objectsOf(document['files']).flatMap((item, index) => [
    ...licenceProblems({
      entry: item,
      fields: ['licenseConcluded', 'licenseInfoInFiles'],
      pointer: `/files/${index}`,
      refs,
    }),
    ...digestProblems(item, `/files/${index}`),
    // §8.4.1: a SHA-1 is mandatory for every file.
    ...(objectsOf(item['checksums']).some(({ algorithm }) => algorithm === 'SHA1')
      ? []
      : [{ pointer: `/files/${index}/checksums`, message: 'it has no SHA1' }]),
  ]);
  return [...packages, ...inFiles];
}

function licenceProblems({
  entry,
  fields,
  pointer,
  refs,
}: {
  readonly entry: Json;
  readonly fields: readonly string[];
  readonly pointer: string;
  readonly refs: ReadonlySet<unknown>;
}): SbomProblem[] {
  return fields.flatMap((field) =>
    [entry[field] ?? []].flat().flatMap((value, index): SbomProblem[] => {
      const place = Array.isArray(entry[field]) ? `${pointer}/${field}/${index}` : `${pointer}/${field}`;
      if (typeof value !== 'string' || value === 'NONE' || value === 'NOASSERTION') return [];
      if (!isLicenceExpression(value)) return [{ pointer: place, message: `"${value}" is not a licence expression` }];
      const unknown = [...value.matchAll(/(?<!:)\bLicenseRef-[A-Za-z0-9.-]+/g)]
        .map(([id]) => id)
        .find((id) => !refs.has(id));
      return unknown === undefined
        ? []
        : [{ pointer: place, message: `${unknown} has no text in hasExtractedLicensingInfos` }];
    }),
  );
}

const lengths: Readonly<Record<string, number>> = Object.fromEntries(
  Object.entries(digestLengths).map(([name, length]) => [name.replace('-', ''), length]),
);

function digestProblems(item: Json, pointer: string): SbomProblem[] {
  return objectsOf(item['checksums']).flatMap(({ algorithm, checksumValue }, index): SbomProblem[] => {
    const length = lengths[shownText(algorithm)];
    if (length === undefined || typeof checksumValue !== 'string' || checksumValue.length === length) return [];
    return [
      {
        pointer: `${pointer}/checksums/${index}/checksumValue`,
        message: `a ${algorithm} has ${length} digits, this one has ${checksumValue.length}`,
      },
    ];
  });
}

function purlProblems(item: Json, pointer: string): SbomProblem[] {
  return objectsOf(item['externalRefs']).flatMap(({ referenceType, referenceLocator }, index): SbomProblem[] => {
    const problem = referenceType === 'purl' ? purlProblem(shownText(referenceLocator)) : null;
    return problem === null
      ? []
      : [{ pointer: `${pointer}/externalRefs/${index}/referenceLocator`, message: `invalid package URL: ${problem}` }];
  });
}

function codeProblems({
  entry,
  pointer,
  owned,
  files,
}: {
  readonly entry: Json;
  readonly pointer: string;
  readonly owned: ReadonlyMap<string, readonly string[]>;
  readonly files: ReadonlyMap<string, Json>;
}): SbomProblem[] {
  const code = textOf(objectOf(entry['packageVerificationCode'])['packageVerificationCodeValue']);
  if (entry['filesAnalyzed'] === false)
    return code === null
      ? []
      : [
          {
            pointer: `${pointer}/packageVerificationCode`,
            message: 'no files were analysed, so there can be no code (§7.9)',
          },
        ];
  const excluded = [objectOf(entry['packageVerificationCode'])['packageVerificationCodeExcludedFiles'] ?? []]
    .flat()
    .map(shownText);
  const own = [...(owned.get(shownText(entry['SPDXID'])) ?? []), ...[entry['hasFiles'] ?? []].flat().map(shownText)];
  const counted = [...new Set(own)]
    .flatMap((id) => {
      const file = files.get(id);
      return file === undefined ? [] : [file];
    })
    .filter((file) => !excluded.includes(shownText(file['fileName'])));
  if (code === null)
    return counted.length === 0 && entry['filesAnalyzed'] === undefined
      ? []
      : [{ pointer, message: 'files were analysed, and it has no `packageVerificationCode` (§7.9)' }];
  const sha1 = counted.map((file) => ({
    sha1: shownText(
      objectsOf(file['checksums']).find(({ algorithm }) => algorithm === 'SHA1')?.['checksumValue'] ?? '',
    ),
  }));
  const right = verificationCode(sha1);
  return right === code
    ? []
    : [
        {
          pointer: `${pointer}/packageVerificationCode`,
          message: `it is ${code}, and that of its ${counted.length} files is ${right}`,
        },
      ];
}
