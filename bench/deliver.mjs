// 300 MB to a stand-in through each protocol against `curl -T` of the same request to the same server, interleaved; peak memory
// of 500 MB.
import { spawn, spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { once } from 'node:events';
import { createWriteStream, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, request } from 'node:http';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { build } from 'esbuild';

const root = path.join(import.meta.dirname, '..');
const top = mkdtempSync(path.join(tmpdir(), 'bevelstone-bench-'));
const rounds = Number(process.argv[2] ?? 5);
const token = randomBytes(16).toString('hex');
const env = { ...process.env, BENCH_TOKEN: token };
const limits = {
  'npm-registry': 0.8,
  'http-put': 0.9,
  s3: 0.8,
  oci: 0.9,
  'python-index': 0.9,
  'maven-layout': 0.9,
};

const driver = path.join(top, 'driver/deliver-driver.mjs');
// In chunks like the program: as one file it would load a compiler, and half of the memory would be that.
await build({
  entryPoints: [path.join(root, 'bench/deliver-driver.ts')],
  outdir: path.join(top, 'driver'),
  outExtension: { '.js': '.mjs' },
  splitting: true,
  bundle: true,
  format: 'esm',
  platform: 'node',
  target: 'node20.20',
  logLevel: 'error',
  banner: { js: "import{createRequire as __r}from'node:module';const require=__r(import.meta.url);" },
});
const makeFile = (name, sizeBytes) => {
  const file = path.join(top, name);
  const piece = randomBytes(1 << 20);
  writeFileSync(
    file,
    Buffer.concat(Array.from({ length: Math.ceil(sizeBytes / piece.length) }, () => piece)).subarray(0, sizeBytes),
  );
  return file;
};
const server = spawn(
  process.execPath,
  [
    path.join(root, 'dist/main.js'),
    'standin',
    '--port',
    '0',
    '--store',
    path.join(top, 'store'),
    '--token',
    'env:BENCH_TOKEN',
    '--json',
  ],
  { env, stdio: ['ignore', 'pipe', 'inherit'] },
);
process.on('exit', () => server.kill());
const [printed] = await once(server.stdout, 'data');
const { addresses } = JSON.parse(String(printed)).result;

let version = 0;
const deliver = (speaks, file) => {
  const args = [driver, speaks, addresses[speaks], file, `1.0.${version++}`];
  const { stdout, stderr } = spawnSync(process.execPath, args, { env, encoding: 'utf8', timeout: 60_000 });
  if (stdout === '') throw new Error(stderr);
  return JSON.parse(stdout);
};
/** Protocols whose request curl cannot make from a file: it sends the very bytes that we sent. */
const recorded = new Map();

/** Notes the request of a delivery that has the file in it, its body in a file. */
async function recordDelivery(speaks, file) {
  const body = path.join(top, `${speaks}-body`);
  const origin = new URL(addresses[speaks]).origin;
  const between = createServer((from, back) => {
    const to = request(`${origin}${from.url}`, { method: from.method, headers: from.headers }, (answer) => {
      back.writeHead(answer.statusCode, answer.headers);
      answer.pipe(back);
    });
    from.pipe(to);
    if (Number(from.headers['content-length'] ?? 0) < 1_000_000) return;
    from.pipe(createWriteStream(body));
    recorded.set(speaks, { body, url: `${origin}${from.url}`, method: from.method, headers: from.headers });
  }).listen(0, '127.0.0.1');
  await once(between, 'listening');
  const url = addresses[speaks].replace(origin, `http://127.0.0.1:${between.address().port}`);
  const child = spawn(process.execPath, [driver, speaks, url, file, `1.0.${version++}`], { env, stdio: 'ignore' });
  await once(child, 'close');
  between.close();
  clear();
}

/** What curl sends and where: the same bytes to the same server, where it can the way that this protocol has it. */
const plainTarget = (speaks) => {
  const known = recorded.get(speaks);
  if (known !== undefined) {
    const { 'content-type': type, authorization } = known.headers;
    const headers = ['-H', `content-type: ${type}`, '-H', `authorization: ${authorization}`];
    return { target: known.url, body: known.body, args: ['-X', known.method, ...headers] };
  }
  const name = `plain-${version++}.bin`;
  if (speaks === 's3')
    return {
      target: `${addresses.s3}bench/${name}`,
      args: [
        '--aws-sigv4',
        'aws:amz:us-east-1:s3',
        '--user',
        `bench:${token}`,
        '-H',
        'x-amz-content-sha256: UNSIGNED-PAYLOAD',
      ],
    };
  const args = ['-H', `Authorization: Bearer ${token}`];
  if (speaks !== 'oci') return { target: `${addresses['http-put']}${name}`, args };
  const begin = [
    ...args,
    '-sS',
    '-D',
    '-',
    '-o',
    '/dev/null',
    '-d',
    '',
    `${new URL(addresses.oci).origin}/v2/office/plain/blobs/uploads/`,
  ];
  const location = /^location: (\S+)/im.exec(spawnSync('curl', begin, { encoding: 'utf8' }).stdout)?.[1];
  return { target: `${new URL(addresses.oci).origin}${location}?digest=sha256:${smallDigest}`, args };
};
const curl = (speaks, file) => {
  const { target, body = null, args: own } = plainTarget(speaks);
  // Behind a slash `-T` puts the name of the file.
  const sent = body === null ? ['-T', file] : ['--data-binary', `@${body}`];
  const args = [
    '-sS',
    '--max-time',
    '60',
    '-o',
    '/dev/null',
    '-w',
    '%{time_total} %{http_code}',
    ...own,
    ...sent,
    target,
  ];
  const [seconds, code] = spawnSync('curl', args, { encoding: 'utf8' }).stdout.split(' ');
  if (code !== '201' && code !== '200') throw new Error(`curl got ${code} from ${target}`);
  return Number(seconds);
};
const median = (values) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)];
const clear = () => rmSync(path.join(top, 'store'), { recursive: true, force: true });

let isGood = true;
const small = makeFile('small', 300_000_000);
const smallDigest = spawnSync('sha256sum', [small], { encoding: 'utf8' }).stdout.slice(0, 64);
for (const [speaks, limit] of Object.entries(limits)) {
  const pairs = [];
  if (['npm-registry', 'python-index'].includes(speaks)) await recordDelivery(speaks, small);
  for (let round = 0; round < rounds; round++) {
    const ours = deliver(speaks, small).seconds;
    const plain = curl(speaks, small);
    pairs.push({ ours, plain, ratio: plain / ours });
    clear();
  }
  const ratio = median(pairs.map((one) => one.ratio));
  const speed = (seconds) => `${Math.round(300 / seconds)} MB/s`;
  const line = `${speaks.padEnd(14)} ${speed(median(pairs.map((one) => one.ours)))} against ${speed(median(pairs.map((one) => one.plain)))} by curl -T: ${ratio.toFixed(2)} times`;
  console.log(`${line}, ${ratio >= limit ? 'within' : 'BELOW'} ${limit}`);
  isGood &&= ratio >= limit;
}
const large = makeFile('large', 500_000_000);
for (const speaks of Object.keys(limits)) {
  const { peakMegabytes } = deliver(speaks, large);
  console.log(
    `${speaks.padEnd(14)} 500 MB: ${peakMegabytes} MB of memory at most, ${peakMegabytes < 150 ? 'within' : 'OVER'} 150`,
  );
  isGood &&= peakMegabytes < 150;
  clear();
}
const peak = Math.round(Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${server.pid}/status`, 'utf8'))?.[1]) / 1024);
console.log(`stand-in       ${peak} MB of memory at most over all of it, ${peak < 300 ? 'within' : 'OVER'} 300`);
server.kill();
await once(server, 'exit');
rmSync(top, { recursive: true, force: true });
process.exitCode = isGood && peak < 300 ? 0 : 1;
