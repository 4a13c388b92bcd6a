// One release more in repositories of 10,000 packages, against plain code that reads and writes the same indexes.
import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { build } from 'esbuild';

const top = mkdtempSync(path.join(tmpdir(), 'bevelstone-bench-'));
const count = 10_000;
const limit = 1.5;
const mostMegabytes = 200;
const names = Array.from({ length: count }, (_, index) => `p${index}`);
const put = (file, text) => {
  mkdirSync(path.dirname(file), { recursive: true });
  writeFileSync(file, text);
};
const page = (title, lines) =>
  `<!doctype html>\n<html lang="en">\n<head><title>${title}</title></head>\n<body>\n${lines.join('\n')}\n</body>\n</html>\n`;
const anchors = (name) =>
  Array.from(
    { length: 20 },
    (_, at) =>
      `<a href="${name}-0.${at}.0-py3-none-any.whl#sha256=${'a'.repeat(64)}">${name}-0.${at}.0-py3-none-any.whl</a><br>`,
  );

/** Each layout: how a repository is filled, and the indexes that a release reads or writes. */
const layouts = {
  'simple-index': {
    indexes: ['simple/p5000/index.html', 'simple/index.html'],
    fill: (folder) => {
      for (const name of names) put(path.join(folder, 'simple', name, 'index.html'), page(name, anchors(name)));
      put(
        path.join(folder, 'simple/index.html'),
        page(
          'All projects',
          names.map((name) => `<a href="${name}/">${name}</a><br>`),
        ),
      );
    },
  },
  'crate-index': {
    indexes: ['p5/00/p5000', 'config.json'],
    fill: (folder) => {
      put(
        path.join(folder, 'config.json'),
        '{"dl":"https://packages.fenmarsh.example/crates/{crate}/{crate}-{version}.crate"}\n',
      );
      for (const name of names) {
        const place =
          name.length <= 2
            ? `${name.length}/${name}`
            : name.length === 3
              ? `3/${name[0]}/${name}`
              : `${name.slice(0, 2)}/${name.slice(2, 4)}/${name}`;
        const lines = Array.from({ length: 20 }, (_, at) =>
          JSON.stringify({ name, vers: `0.${at}.0`, deps: [], cksum: 'a'.repeat(64), features: {}, yanked: false }),
        );
        put(path.join(folder, place), `${lines.join('\n')}\n`);
      }
    },
  },
  'maven-layout': {
    indexes: ['example/fenmarsh/p5000/maven-metadata.xml'],
    fill: (folder) => {
      for (const name of names) {
        const versions = Array.from({ length: 20 }, (_, at) => `      <version>0.${at}.0</version>`).join('\n');
        put(
          path.join(folder, 'example/fenmarsh', name, 'maven-metadata.xml'),
          `<?xml version="1.0"?>\n<metadata>\n  <groupId>example.fenmarsh</groupId>\n  <artifactId>${name}</artifactId>\n  <versioning>\n    <release>0.19.0</release>\n    <versions>\n${versions}\n    </versions>\n    <lastUpdated>20260101000000</lastUpdated>\n  </versioning>\n</metadata>\n`,
        );
      }
    },
  },
};

const driver = path.join(top, 'driver.mjs');
await build({
  entryPoints: [path.join(import.meta.dirname, 'layouts-driver.ts')],
  outfile: driver,
  bundle: true,
  platform: 'node',
  format: 'esm',
  logLevel: 'error',
  banner: { js: "import{createRequire as __r}from'node:module';const require=__r(import.meta.url);" },
});

/** Files with the time of their last change, to see what a release wrote. */
const times = (folder) =>
  new Map(
    readdirSync(folder, { recursive: true, withFileTypes: true })
      .filter((item) => item.isFile())
      .map((item) => path.join(item.parentPath, item.name))
      .map((file) => [file, statSync(file).mtimeMs]),
  );

let isGood = true;
for (const [layout, { indexes, fill }] of Object.entries(layouts)) {
  const folder = path.join(top, layout);
  fill(folder);
  const before = times(folder);
  const rounds = process.argv[2] ?? '9';
  const printed = execFileSync(process.execPath, [driver, layout, folder, indexes.join(','), rounds], {
    encoding: 'utf8',
  });
  const { ratio, ours, theirs, megabytes } = JSON.parse(printed);
  const changed = [...times(folder)].filter(([file, time]) => before.has(file) && before.get(file) !== time);
  const others = changed.map(([file]) => path.relative(folder, file)).filter((file) => !indexes.includes(file));
  const isWithin = ratio <= limit && megabytes <= mostMegabytes && others.length === 0;
  isGood &&= isWithin;
  const verdict = (value, most) => (value <= most ? `within ${most}` : `OVER ${most}`);
  console.log(
    `${layout.padEnd(14)} ${count} packages  ${ratio.toFixed(2)} times, ${verdict(ratio, limit)}   (${ours.toFixed(1)} ms against ${theirs.toFixed(1)} ms); ${megabytes.toFixed(0)} MB, ${verdict(megabytes, mostMegabytes)}; ${others.length} other files changed`,
  );
}
rmSync(top, { recursive: true });
process.exitCode = isGood ? 0 : 1;
