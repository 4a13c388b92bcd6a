import { filesIn } from '../../form/artifact.ts';
import type { Rule } from '../rule.ts';

const common =
  /^(?:tests?|docs?|examples?|scripts?|utils?|common|config|benchmarks?|tools|src|build|setup|conftest|test_[^/]*)(?:\.py)?$/;

export const strayModule: Rule = {
  id: 'python/stray-module',
  forms: ['wheel'],
  severity: 'refuse',
  what: 'A wheel installs no top-level modules with common names',
  why: 'All packages share one folder: a module named tests or utils overwrites that of another package',
  fix: 'Leave it out of the wheel, or move it into the package',
  example: 'tests/__init__.py at the top of a wheel',
  check: (artifact) => {
    const own = artifact.manifest?.common.name?.replace(/-/g, '_') ?? '';
    const tops = new Map<string, string>();
    for (const { path } of filesIn(artifact)) {
      const inside = path.replace(/^[^/]+\.data\/(?:pure|plat)lib\//, '');
      const [top = ''] = inside.split('/');
      if (/\.py$/.test(inside) && common.test(top) && top.replace(/\.py$/, '') !== own && !tops.has(top))
        tops.set(top, path);
    }
    return [...tops].map(([top, path]) => ({
      path,
      message: `it installs a module named ${top.replace(/\.py$/, '')}, which other packages use too`,
    }));
  },
};
