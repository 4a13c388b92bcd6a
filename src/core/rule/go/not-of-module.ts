import { filesIn, insidePath } from '../../form/artifact.ts';
import { isVendored } from '../../form/go-module/module-files.ts';
import type { Rule } from '../rule.ts';

export const notOfModule: Rule = {
  id: 'go/not-of-module',
  forms: ['go-module'],
  severity: 'refuse',
  what: 'The zip of a module holds no other module, no vendored package, and nothing but files',
  why: 'The go command leaves these out when it reads the repository: its digest is another one then, and go.sum refuses the module',
  fix: 'Build it with `form: go-module`, without `files`',
  example: 'code.example/tides@v1.4.0/tools/go.mod',
  check: (artifact) => {
    const { prefix, entries } = artifact;
    const files = filesIn(artifact).map(({ path }) => ({ path, inside: insidePath(path, prefix) }));
    return [
      ...files
        .filter(({ inside }) => /\/go\.mod$/i.test(inside))
        .map(({ path }) => ({ path, message: 'another module begins there' })),
      ...files.filter(({ inside }) => isVendored(inside)).map(({ path }) => ({ path, message: 'it is vendored' })),
      ...entries
        .filter(({ type }) => type !== 'file' && type !== 'folder')
        .map(({ path }) => ({ path, message: 'it is no plain file' })),
    ];
  },
};
