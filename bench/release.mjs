// A complete release of the demo, phase by phase, against its build steps alone in a plain checkout; its rehearsal against the
// slowest client; and which questions to git were asked more than once.
import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { appendFileSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { loadavg, tmpdir } from 'node:os';
import path from 'node:path';
import { createInterface } from 'node:readline';
import { parse } from 'yaml';
import { median, report } from './measure.mjs';

const program = path.join(import.meta.dirname, '../dist/main.js');
const top = mkdtempSync(path.join(tmpdir(), 'bevelstone-bench-'));
const demo = path.join(top, 'demo');
const cwd = path.join(demo, 'fenmarsh-tides');
const rounds = Number(process.argv[2] ?? 3);
const [releaseLimit, rehearsalLimit] = [1.5, 1.3];
spawnSync(process.execPath, [program, 'demo', demo, '--quiet'], { stdio: 'ignore' });

const servers = [];
process.on('exit', () => {
  for (const server of servers) server.kill();
});
async function serve(store) {
  const token = `file:${demo}/office/token`;
  const args = [program, 'standin', '--port', '0', '--store', path.join(demo, store), '--token', token, '--json'];
  const server = spawn(process.execPath, args, { stdio: ['ignore', 'pipe', 'inherit'] });
  servers.push(server);
  const [printed] = await once(server.stdout, 'data');
  return new URL('/', Object.values(JSON.parse(String(printed)).result.addresses)[0]).href;
}
const office = await serve('office');
const env = {
  ...process.env,
  TIDE_OFFICE: office,
  TIDE_OFFICE_URL: `${office}node/`,
  TIDE_OFFICE_TOKEN: readFileSync(path.join(demo, 'office/token'), 'utf8').trim(),
  TIDE_SUPPLIES: await serve('supplies'),
  BEVELSTONE_TRUST: new URL(office).origin,
};
const git = (...args) => execFileSync('git', args, { cwd, encoding: 'utf8' });

/** The build steps by themselves, one after the other, in a fresh checkout. Seconds. */
function buildPlainly() {
  const folder = path.join(top, 'plain');
  git('worktree', 'add', '--quiet', '--detach', folder);
  const { packages } = parse(readFileSync(path.join(cwd, 'bevelstone.yaml'), 'utf8'));
  for (const config of Object.values(packages)) layInputs(path.join(folder, config.folder), config);
  const start = performance.now();
  for (const [name, { folder: inside, build = [] }] of Object.entries(packages)) {
    for (const step of build) {
      const out = path.join(top, 'out', name);
      const command = (step.run ?? step).replaceAll('{platform}', 'linux-x64').replaceAll('{out}', out);
      const done = spawnSync('sh', ['-c', command], {
        cwd: path.join(folder, inside),
        env: { ...process.env, BEVELSTONE_VERSION: '0.0.0' },
        stdio: 'ignore',
      });
      if (done.status !== 0) throw new Error(`${command} ended with ${done.status}`);
    }
  }
  const seconds = (performance.now() - start) / 1000;
  git('worktree', 'remove', '--force', folder);
  rmSync(path.join(top, 'out'), { recursive: true, force: true });
  return seconds;
}

/** Third-party sources with their patches, which build steps need. */
function layInputs(folder, { inputs = [], patches = null }) {
  for (const { from, version, into } of inputs) {
    const file = path.join(cwd, from[0].replaceAll('{version}', version));
    const place = path.join(folder, into);
    mkdirSync(place, { recursive: true });
    execFileSync('tar', ['-xzf', file, '--strip-components=1', '-C', place]);
    if (patches !== null) execFileSync('sh', ['-c', `cat ${patches} | patch -s -p1 -d ${into}`], { cwd: folder });
  }
}

/** What a line of progress begins. */
const beginnings = [
  [/^Gates/, 'gates'],
  [/^Build/, 'build'],
  [/^Checks/, 'verify and surfaces'],
  [/done {2}verify \(/, 'SBOMs'],
  [/done {2}SBOM of/, 'rehearsal'],
  [/^(?:Release card|Released)/, 'card and report'],
  [/^Push/, 'push'],
  [/^Deliveries/, 'deliveries'],
  [/^Record/, 'ledger'],
];

/** One release with a change in each package. @returns seconds by phase, those of the slowest client, and what git was asked. */
async function releaseOnce() {
  for (const name of readdirSync(path.join(cwd, 'packages')))
    appendFileSync(path.join(cwd, 'packages', name, 'README.md'), `Seen at ${process.hrtime.bigint()}.\n`);
  git('commit', '--quiet', '--all', '--message', 'fix: round the last minute');
  git('push', '--quiet', 'origin', 'main');
  const trace = path.join(top, 'trace');
  const args = [program, 'release', '--yes', '--verbose', '--without', 'linux-arm64'];
  const child = spawn(process.execPath, args, {
    cwd,
    env: { ...env, GIT_TRACE2_EVENT: trace },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  const seconds = new Map();
  let [phase, since, slowest] = ['start and survey', performance.now(), 0];
  const enter = (next) => {
    const now = performance.now();
    seconds.set(phase, (seconds.get(phase) ?? 0) + (now - since) / 1000);
    [phase, since] = [next, now];
  };
  for (const stream of [child.stdout, child.stderr])
    createInterface({ input: stream }).on('line', (line) => {
      const next = beginnings.find(([pattern]) => pattern.test(line.replace(/^[^\w]*/, '')))?.[1];
      if (next !== undefined && next !== phase) enter(next);
      // Whole seconds, rounded down: the ratio is never better than it looks.
      const [, took = '0'] = /done {2}install .* (\d+) s$/.exec(line) ?? [];
      slowest = Math.max(slowest, Number(took));
    });
  const [status] = await once(child, 'close');
  if (status !== 0) throw new Error(`the release ended with ${status}`);
  enter('');
  const events = readFileSync(trace, 'utf8').trim().split('\n').map(JSON.parse);
  rmSync(trace);
  // Without what git itself starts, and without our settings before the verb.
  const asked = events
    .filter(({ event, sid }) => event === 'start' && !sid.includes('/'))
    .map(({ argv }) =>
      argv
        .slice(1)
        .filter((arg, index, all) => arg !== '-c' && all[index - 1] !== '-c')
        .join(' '),
    );
  return { seconds, asked, slowest };
}

const [releases, plain] = [[], []];
for (let round = 0; round < rounds; round++) {
  plain.push(buildPlainly());
  releases.push(await releaseOnce());
}
const whole = releases.map(({ seconds }) =>
  [...seconds].reduce((sum, [phase, own]) => sum + (phase === 'rehearsal' ? 0 : own), 0),
);
const phases = [...(releases[0]?.seconds.keys() ?? [])];
console.log('\nphase                  seconds  of its build steps');
for (const phase of phases) {
  const own = median(releases.map(({ seconds }) => seconds.get(phase) ?? 0));
  console.log(`${phase.padEnd(22)} ${own.toFixed(2).padStart(7)}  ${(own / median(plain)).toFixed(2)}`);
}
const { asked } = releases.at(-1);
const counts = new Map();
for (const question of asked) counts.set(question, (counts.get(question) ?? 0) + 1);
console.log(`\ngit was started ${asked.length} times; more than twice for:`);
for (const [question, count] of [...counts].sort(([, a], [, b]) => b - a))
  if (count > 2) console.log(`${String(count).padStart(4)}  ${question.slice(0, 110)}`);
console.log();
const against = (ours, theirs) => ({
  ratio: median(ours.map((own, round) => own / theirs[round])),
  ours: median(ours),
  theirs: median(theirs),
  rounds,
  load: loadavg()[0],
  peakMB: 0,
  cpuSeconds: 0,
});
const rehearsals = releases.map(({ seconds }) => seconds.get('rehearsal') ?? 0);
const clients = releases.map(({ slowest }) => slowest);
const results = [
  report('release without its rehearsal', against(whole, plain), releaseLimit),
  report('rehearsal against its slowest client', against(rehearsals, clients), rehearsalLimit),
];
// Nothing ends while they run.
for (const server of servers) {
  server.kill();
  await once(server, 'close');
}
rmSync(top, { recursive: true });
process.exitCode = results.every(Boolean) ? 0 : 1;
