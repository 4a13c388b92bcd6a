import type { RawFinding, Rule } from '../rule.ts';
import { nodeViewOf, programs } from './node-view.ts';

export const programUnusable: Rule = {
  id: 'node/program-unusable',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: 'Programs in `bin` begin with a #! line that ends with LF',
  why: 'Without it, a shell runs the file as shell commands; with a carriage return, it looks for an interpreter with that name',
  fix: 'Make the first line #!/usr/bin/env node, and use LF line endings',
  example: 'bin/tide.js without #!, or with #!/usr/bin/env node and CRLF',
  check: (artifact) => {
    const view = nodeViewOf(artifact);
    if (view === null || artifact.manifest === null) return [];
    return programs(artifact.manifest.json, new Set(view.paths)).flatMap(({ entry, file }): RawFinding[] => {
      const facts = view.script(file);
      const path = artifact.prefix + file;
      if (facts === null) return [];
      if (facts.shebang === null)
        return [{ path, message: `it is ${entry}, but its first line does not begin with #!` }];
      return facts.shebang.endsWith('\r') ? [{ path, message: 'its first line ends with a carriage return' }] : [];
    });
  },
};
