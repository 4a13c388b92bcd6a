import { filesIn, insidePath } from '../../form/artifact.ts';
import { moduleLimits } from '../../form/go-module/module-files.ts';
import type { Rule } from '../rule.ts';

export const moduleSize: Rule = {
  id: 'go/size-limit',
  forms: ['go-module'],
  severity: 'refuse',
  what: 'A module has at most 500 MiB, its go.mod and its LICENSE at most 16 MiB each',
  why: 'The go command refuses larger ones',
  fix: 'Move large files out of the module, and fetch them where they are needed',
  example: 'A module with 600 MiB of tables',
  check: (artifact) => {
    const files = filesIn(artifact);
    const total = files.reduce((sum, { sizeBytes }) => sum + sizeBytes, 0);
    const single = files.filter(
      ({ path, sizeBytes }) =>
        sizeBytes > moduleLimits.single && /^(?:go\.mod|LICENSE)$/.test(insidePath(path, artifact.prefix)),
    );
    return [
      ...(Math.max(total, artifact.sizeBytes) > moduleLimits.total
        ? [{ path: null, message: `its files have ${total} bytes, and at most ${moduleLimits.total} are taken` }]
        : []),
      ...single.map(({ path, sizeBytes }) => ({
        path,
        message: `it has ${sizeBytes} bytes, and at most ${moduleLimits.single} are taken`,
      })),
    ];
  },
};
