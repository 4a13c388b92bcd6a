import { pathsIn } from '../../form/artifact.ts';
import { shownText } from '../../manifest/fields.ts';
import type { RawFinding, Rule } from '../rule.ts';

const path = 'META-INF/MANIFEST.MF';
const maxLineBytes = 72;

export const manifestUnusable: Rule = {
  id: 'jvm/manifest-unusable',
  forms: ['jar', 'sources-jar', 'documentation-jar'],
  severity: 'refuse',
  what: "A jar's manifest is valid, is among the first entries, and refers to existing classes",
  why: 'A JVM that streams the jar only finds a manifest among the first two entries, and a missing main class stops it',
  fix: 'Build the jar with `bevelstone build`, or correct the manifest',
  example: 'Main-Class: example.fenmarsh.tidemark.Main without that class',
  check: (artifact) => {
    const { manifest, entries, texts } = artifact;
    const text = texts.get(path) ?? '';
    const found: RawFinding[] = [];
    const add = (message: string, severity?: 'warn' | 'note') =>
      found.push({ path, message, ...(severity === undefined ? {} : { severity }) });
    if (!/^Manifest-Version: ?\d/.test(text)) add('it does not begin with Manifest-Version');
    if (text !== '' && !/\r?\n$|\r$/.test(text)) add('its last line has no end, so it is not read');
    const longest = text.split(/\r\n|\n|\r/).reduce((most, line) => Math.max(most, Buffer.byteLength(line)), 0);
    // JAR File Specification, "Manifest Specification": longer values go on in the next line, behind a space.
    // One too many is an old mistake of some tools, which the JVM forgives.
    const severity = longest === maxLineBytes + 1 ? 'warn' : undefined;
    if (longest > maxLineBytes) add(`a line has ${longest} bytes, and ${maxLineBytes} are allowed`, severity);
    const files = entries.filter(({ type }) => type !== 'folder');
    const at = files.findIndex((entry) => entry.path === path);
    if (at > 1) add(`it is entry ${at + 1}, and readers of streams look at the first two only`, 'note');
    const json = manifest?.json ?? {};
    const paths = pathsIn(artifact);
    for (const field of ['Main-Class', 'Launcher-Agent-Class', 'Premain-Class', 'Agent-Class']) {
      const name = json[field];
      if (typeof name !== 'string') continue;
      if (!paths.has(`${name.trim().replaceAll('.', '/')}.class`))
        add(`${field} is ${name}, and no such class is inside`);
    }
    const module = json['Automatic-Module-Name'];
    if (typeof module === 'string' && !/^[\p{L}_$][\p{L}\p{N}_$]*(?:\.[\p{L}_$][\p{L}\p{N}_$]*)*$/u.test(module.trim()))
      add(`Automatic-Module-Name is "${module}", which is not a module name`);
    const isMulti =
      shownText(json['Multi-Release'] ?? '')
        .trim()
        .toLowerCase() === 'true';
    if (!isMulti && [...paths].some((path) => /^META-INF\/versions\/\d+\/.+\.class$/.test(path)))
      add('classes for newer versions are inside, and Multi-Release does not say so', 'warn');
    return found;
  },
};
