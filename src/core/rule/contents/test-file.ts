import { filesIn, insidePath } from '../../form/artifact.ts';
import { formatBytes } from '../../text/bytes.ts';
import type { RawFinding, Rule } from '../rule.ts';

const pattern =
  /(?:^|\/)(?:__tests__|__mocks__|__snapshots__|__fixtures__|tests?|specs?|fixtures?|testdata|coverage|\.husky|benchmarks?)\/|\.(?:test|spec|bench|stories)\.[cm]?[jt]sx?$|(?:^|\/)(?:test_[^/]+|[^/]+_test|conftest)\.py$/;

/** Those that can hardly be anything else; in folders further down there may be code of that name. */
const certainPattern =
  /(?:^|\/)(?:__tests__|__mocks__|__snapshots__|__fixtures__)\/|^(?:tests?|specs?|fixtures?|testdata|coverage|benchmarks?)\/|\.(?:test|spec)\.[cm]?[jt]sx?$|(?:^|\/)conftest\.py$/;

/** What services build, test and release by. */
const servicePattern =
  /^(?:\.github\/workflows\/|\.circleci\/|\.buildkite\/|\.gitlab-ci\.ya?ml$|\.travis\.yml$|\.drone\.yml$|\.appveyor\.yml$|appveyor\.yml$|azure-pipelines\.ya?ml$|bitbucket-pipelines\.yml$|\.cirrus\.yml$|Jenkinsfile$|cloudbuild\.ya?ml$)/;

export const testFile: Rule = {
  id: 'contents/test-file',
  // Archives of sources are meant to hold tests.
  forms: ['npm-tarball', 'wheel', 'jar', 'nupkg', 'deb'],
  severity: 'warn',
  what: 'Tests, fixtures and project settings are not included',
  why: 'Users download them with every install and never run them',
  fix: "Leave them out with `except` or the manifest's `files`; or turn this rule off if they belong in the package",
  example: 'lib/tide.test.js, test/fixtures/a-year.csv',
  check: (artifact) => {
    const files = filesIn(artifact).map((file) => ({ ...file, inside: insidePath(file.path, artifact.prefix) }));
    const settings = files
      .filter(({ inside }) => servicePattern.test(inside))
      .map(({ path }): RawFinding => ({ path, message: 'it tells a build service what to do', severity: 'warn' }));
    const found = files.filter(({ inside }) => pattern.test(inside));
    const [first] = found;
    if (first === undefined) return settings;
    const size = formatBytes(found.reduce((sum, { sizeBytes }) => sum + sizeBytes, 0));
    const others = found.length === 1 ? '' : ` and ${found.length - 1} more`;
    const message = `this${others} looks like a test or a fixture, ${size} in all`;
    const isCertain = found.some(({ inside }) => certainPattern.test(inside));
    return [...settings, { path: first.path, message, ...(isCertain ? {} : { severity: 'note' as const }) }];
  },
};
