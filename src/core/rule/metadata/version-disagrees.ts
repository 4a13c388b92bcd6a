import { formsWithPage, type RawFinding, type Rule } from '../rule.ts';

export const versionDisagrees: Rule = {
  id: 'metadata/version-disagrees',
  severity: 'refuse',
  what: 'The manifest inside, the file name and the release name the same version',
  why: 'A registry believes the manifest, people believe the file name, and neither can be corrected later',
  fix: 'Build it with `bevelstone build`, which writes the version into the manifest it packs',
  example: 'tidemark-1.4.0.tgz with "version": "1.3.2" inside',
  check: ({ form, manifest, fileName }, { version }) => {
    const found: RawFinding[] = [];
    const written = manifest?.common.version ?? null;
    const path = manifest?.path ?? null;
    if (manifest !== null && written === null && formsWithPage.has(form))
      found.push({ path, message: 'it names no version' });
    if (version !== null && written !== null && written !== version) {
      found.push({ path, message: `it says ${written}, the release is ${version}` });
    }
    const expected = version ?? written;
    if (expected !== null && !fileName.includes(expected)) {
      found.push({ path: null, message: `the file is called ${fileName}, and the version is ${expected}` });
    }
    return found;
  },
};
