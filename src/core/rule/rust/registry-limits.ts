import { objectOf, textOf } from '../../manifest/fields.ts';
import type { RawFinding, Rule } from '../rule.ts';
import { crateManifest } from './crate-manifest.ts';

const most = { keywords: 5, categories: 5, bytes: 10 << 20 };

export const registryLimits: Rule = {
  id: 'rust/registry-limits',
  forms: ['crate'],
  severity: 'warn',
  what: 'A crate has a licence, at most five keywords and categories, and at most 10 MiB',
  why: 'Registries of crates refuse more than that, at the upload',
  fix: 'Shorten the lists in Cargo.toml; leave large files out with `exclude`',
  example: 'keywords = ["tides", "tables", "harbour", "height", "time", "moon"]',
  check: (artifact) => {
    const { path, manifest } = crateManifest(artifact);
    const crate = objectOf(manifest['package']);
    const findings: RawFinding[] = [];
    for (const [field, limit] of [
      ['keywords', most.keywords],
      ['categories', most.categories],
    ] as const) {
      const list = crate[field];
      if (Array.isArray(list) && list.length > limit)
        findings.push({ path, message: `${list.length} ${field}, and at most ${limit} are taken` });
    }
    const { keywords } = crate;
    for (const keyword of Array.isArray(keywords) ? keywords : [])
      if (typeof keyword !== 'string' || !/^[A-Za-z0-9][\w+-]{0,19}$/.test(keyword))
        findings.push({ path, message: `the keyword ${JSON.stringify(keyword)} is none that registries take` });
    if (textOf(crate['license']) === null && textOf(crate['license-file']) === null)
      findings.push({ path, message: 'neither `license` nor `license-file` names its licence' });
    if (artifact.sizeBytes > most.bytes)
      findings.push({ path: null, message: `it has ${artifact.sizeBytes} bytes, and at most ${most.bytes} are taken` });
    return findings;
  },
};
