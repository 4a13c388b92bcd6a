import type { RawFinding, Rule } from '../rule.ts';
import { nodeViewOf, programs } from './node-view.ts';

export const programUnusable: Rule = {
  id: 'node/program-unusable',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: 'Programs in `bin` begin with a line that says what runs them, with a plain line end',
  why: 'Without it a shell runs the file as its own commands; with a carriage return it looks for a program of another name',
  fix: 'Let the first line be #!/usr/bin/env node, and write the file with LF line ends',
  example: 'bin/tide.js without #!, or with #!/usr/bin/env node and CRLF',
  check: (artifact) => {
    const view = nodeViewOf(artifact);
    if (view === null || artifact.manifest === null) return [];
    return programs(artifact.manifest.json, new Set(view.paths)).flatMap(({ entry, file }): RawFinding[] => {
      const facts = view.script(file);
      const path = artifact.prefix + file;
      if (facts === null) return [];
      if (facts.shebang === null)
        return [{ path, message: `it is ${entry}, and its first line does not begin with #!` }];
      return facts.shebang.endsWith('\r') ? [{ path, message: 'its first line ends with a carriage return' }] : [];
    });
  },
};
