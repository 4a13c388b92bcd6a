import { moduleVersions } from '../../facts/module-version.ts';
import { formDefinitions, hasPage } from '../../form/definitions.ts';
import type { Form } from '../../name/form.ts';
import { isSameVersion, namesVersion as tagNamesVersion } from '../../version/loose-version.ts';
import { formsBut } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const versionDisagrees: Rule = {
  id: 'metadata/version-disagrees',
  forms: formsBut('loose'),
  severity: 'refuse',
  what: 'The tag, the manifest, other files and the file name contain the same version',
  why: 'Registries read the manifest, people read the file name, and neither can be corrected later',
  fix: 'Build it with `bevelstone build`, which writes the version into the manifest it packs',
  example: 'tidemark-1.4.0.tgz with "version": "1.3.2" inside',
  check: (artifact, { version, release }) => {
    const { form, manifest, fileName } = artifact;
    const found: RawFinding[] = [];
    const written = manifest?.common.version ?? null;
    const path = manifest?.path ?? null;
    if (manifest !== null && written === null && hasPage(form)) found.push({ path, message: 'it has no version' });
    if (version !== null && written !== null && written !== version)
      found.push({ path, message: `the version is ${written}, expected ${version}` });
    const expected = version ?? written;
    if (expected === null) return found;
    if (!namesVersion(fileName, expected, form)) {
      // Who downloads a file may call it anything; a release may not.
      const severity = version === null ? { severity: 'note' as const } : {};
      found.push({
        path: null,
        message: `the file name ${fileName} does not contain the version ${expected}`,
        ...severity,
      });
    }
    if (release !== null && !tagNamesVersion(release.tag, release.version))
      found.push({ path: null, message: `the tag ${release.tag} does not contain ${release.version}` });
    // In a file from elsewhere it is unknown which of two versions is meant.
    const severity = release === null ? { severity: 'warn' as const } : {};
    const own = formDefinitions[form].innerVersions(artifact).filter((inner) => inner.version !== expected);
    const modules = moduleVersions({ ...artifact, name: manifest?.common.name ?? null }).filter(
      (inner) => !isSameVersion(inner.version, expected) && !isSameVersion(inner.version, release?.version ?? expected),
    );
    const others = [...own, ...modules];
    return [
      ...found,
      ...others.map((item) => ({
        path: item.path,
        message: `the version is ${item.version}, expected ${expected}`,
        ...severity,
      })),
    ];
  },
};

/** PEP 427 and the sdist specification write `-` and `+` otherwise in file names. */
function namesVersion(fileName: string, version: string, form: Form): boolean {
  const spelt = [
    version,
    version.replace(/[^\w.+~!]+/g, '_'),
    version.replaceAll('+', '_'),
    version.replaceAll('+', '.'),
    ...formDefinitions[form].fileVersions(version),
  ];
  return spelt.some((version) => fileName.includes(version));
}
