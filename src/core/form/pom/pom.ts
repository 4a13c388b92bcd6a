import { XMLBuilder } from 'fast-xml-parser';
import { BevelstoneError } from '../../error/bevelstone-error.ts';
import { withPlainVersion } from '../../manifest/pom-xml.ts';
import { type FormInput, type Layout, spelt } from '../layout.ts';
import { plannedText } from '../plan.ts';

/** Maven's coordinates of a package (POM reference, "Maven Coordinates"). */
export type Coordinates = { readonly group: string; readonly artifact: string; readonly version: string };

/** The POM as a file of its own: the package's with its version written in, else one generated from the configuration. */
export const pom: Layout = {
  select: async () => [],
  plan: async (input) => {
    const { artifact, version } = coordinatesOf(input);
    const own = input.manifestPath?.endsWith('pom.xml') === true ? await input.read(input.manifestPath) : null;
    const fileName = `${artifact}-${version}.pom`;
    const text = own === null ? generatePom(input) : withPlainVersion(own, version);
    const entries = [plannedText(fileName, text)];
    return { fileName, container: 'file', entries, comment: null, metadata: '' };
  },
};

/**
 * From the POM, else from `coordinates: { groupId, artifactId }`.
 * @throws FIELD_MISSING when nothing names a group.
 */
export function coordinatesOf(input: FormInput): Coordinates {
  const { manifest, manifestPath, artifact, packageName } = input;
  const [group, name] = manifestPath?.endsWith('pom.xml') === true ? (manifest?.name ?? '').split(':') : [];
  const groupId = artifact.coordinates['groupId'] ?? group;
  const version = spelt(input, 'maven');
  if (groupId !== undefined && groupId !== '')
    return { group: groupId, artifact: artifact.coordinates['artifactId'] ?? name ?? packageName, version };
  throw new BevelstoneError('FIELD_MISSING', {
    message: `no groupId for ${packageName}`,
    why: 'Maven finds an artifact by group, name and version',
    fix: 'Commit a pom.xml, or add `coordinates: { groupId: … }` to the artifact',
    where: { file: 'bevelstone.yaml' },
  });
}

/** A POM that is valid against model 4.0.0: coordinates and what is known beside them. */
function generatePom(input: FormInput): string {
  const { manifest, artifact, supplier } = input;
  const { group, artifact: name, version } = coordinatesOf(input);
  const licence = manifest?.licence ?? artifact.coordinates['license'];
  const { url } = artifact.coordinates;
  const project = {
    '@xmlns': 'http://maven.apache.org/POM/4.0.0',
    '@xmlns:xsi': 'http://www.w3.org/2001/XMLSchema-instance',
    '@xsi:schemaLocation': 'http://maven.apache.org/POM/4.0.0 http://maven.apache.org/xsd/maven-4.0.0.xsd',
    modelVersion: '4.0.0',
    groupId: group,
    artifactId: name,
    version,
    packaging: artifact.coordinates['packaging'] ?? 'jar',
    name: artifact.coordinates['name'] ?? name,
    ...(manifest?.description ? { description: manifest.description } : {}),
    ...(url === undefined ? {} : { url }),
    ...(supplier === null ? {} : { organization: { name: supplier } }),
    ...(licence ? { licenses: { license: { name: licence } } } : {}),
  };
  const xml = new XMLBuilder({ ignoreAttributes: false, attributeNamePrefix: '@', format: true }).build({ project });
  return `<?xml version="1.0" encoding="UTF-8"?>\n${xml}`;
}
