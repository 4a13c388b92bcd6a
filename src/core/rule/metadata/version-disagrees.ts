import { isBevelstoneError } from '../../error/bevelstone-error.ts';
import { objectOf, textOf } from '../../manifest/fields.ts';
import { parseToml } from '../../manifest/toml.ts';
import { type Artifact, formsWithPage, insidePath, type RawFinding, type Rule } from '../rule.ts';

export const versionDisagrees: Rule = {
  id: 'metadata/version-disagrees',
  severity: 'refuse',
  what: 'The tag, the manifest inside, other files that name it and the file name say the same version',
  why: 'A registry believes the manifest, people believe the file name, and neither can be corrected later',
  fix: 'Build it with `bevelstone build`, which writes the version into the manifest it packs',
  example: 'tidemark-1.4.0.tgz with "version": "1.3.2" inside',
  check: (artifact, { version, release }) => {
    const { form, manifest, fileName } = artifact;
    const found: RawFinding[] = [];
    const written = manifest?.common.version ?? null;
    const path = manifest?.path ?? null;
    if (manifest !== null && written === null && formsWithPage.has(form))
      found.push({ path, message: 'it names no version' });
    if (version !== null && written !== null && written !== version)
      found.push({ path, message: `it says ${written}, the release is ${version}` });
    const expected = version ?? written;
    if (expected === null) return found;
    if (!namesVersion(fileName, expected, form)) {
      // Who downloads a file may call it anything; a release may not.
      const severity = version === null ? { severity: 'note' as const } : {};
      found.push({
        path: null,
        message: `the file is called ${fileName}, and the version is ${expected}`,
        ...severity,
      });
    }
    if (release !== null && !release.tag.includes(release.version))
      found.push({ path: null, message: `the tag ${release.tag} does not name ${release.version}` });
    // In a file from elsewhere nobody knows which of two versions is meant.
    const severity = release === null ? { severity: 'warn' as const } : {};
    const others = embedded(artifact).filter((one) => one.version !== expected);
    return [
      ...found,
      ...others.map((one) => ({
        path: one.path,
        message: `it says ${one.version}, and the version is ${expected}`,
        ...severity,
      })),
    ];
  },
};

/** PEP 427 and the sdist specification write `-` and `+` otherwise in file names; a deb's epoch is not in its name. */
function namesVersion(fileName: string, version: string, form: string): boolean {
  const spelt = [
    version,
    version.replace(/[^\w.+~!]+/g, '_'),
    version.replaceAll('+', '_'),
    version.replaceAll('+', '.'),
  ];
  if (form === 'deb') spelt.push(version.replace(/^\d+:/, ''));
  return spelt.some((one) => fileName.includes(one));
}

/** Versions in further files of the form's own. */
function embedded({ texts, form, prefix }: Artifact): { path: string; version: string }[] {
  return [...texts].flatMap(([path, text]) => {
    const inside = insidePath(path, prefix);
    const version =
      form === 'sdist' && inside === 'pyproject.toml'
        ? pyprojectVersion(text)
        : form === 'jar' && /^META-INF\/maven\/[^/]+\/[^/]+\/pom\.properties$/.test(path) && countOfKind(texts) === 1
          ? (/^version=(.+)$/m.exec(text)?.[1]?.trim() ?? null)
          : null;
    return version === null ? [] : [{ path, version }];
  });
}

/** A jar that holds others holds their properties too. */
function countOfKind(texts: ReadonlyMap<string, string>): number {
  return [...texts.keys()].filter((path) => /^META-INF\/maven\/.*\/pom\.properties$/.test(path)).length;
}

function pyprojectVersion(text: string): string | null {
  try {
    return textOf(objectOf(parseToml(text, 'pyproject.toml')['project'])['version']);
  } catch (error) {
    if (!isBevelstoneError(error, 'MANIFEST_INVALID')) throw error;
    return null;
  }
}
