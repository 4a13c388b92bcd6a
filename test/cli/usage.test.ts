import { describe, expect, it } from 'vitest';
import { commandList } from '../../src/cli/command-list.ts';
import { complete } from '../../src/cli/complete.ts';
import { usageError } from '../../src/cli/usage.ts';
import { testContext } from '../builders/context.ts';
import { temporaryFolder } from '../builders/repository.ts';

describe('a line that is not valid', () => {
  it.each<[string, string, string, RegExp]>([
    ['rel', 'Unknown argument: rel', 'unknown command "rel"', /"release"/],
    ['surwey', 'Unknown argument: surwey', 'unknown command "surwey"', /"survey"/],
    ['release --dryrun', 'Unknown argument: dryrun', 'unknown option --dryrun', /"--dry-run".*release --help/],
    ['release --dryrun=1', 'Unknown argument: dryrun', 'unknown option --dryrun', /"--dry-run"/],
    ['survey --chnges', 'Unknown argument: chnges', 'unknown option --chnges', /"--changes"/],
    ['survey --trustconfig', 'Unknown argument: trustconfig', 'unknown option --trustconfig', /"--trust-config"/],
    [
      'ledger lst',
      'Unknown argument: lst',
      'unknown command "ledger lst": expected ledger list, show, trace, lines',
      /"ledger list"/,
    ],
    [
      'survey tidemark',
      'Unknown argument: tidemark',
      'unexpected argument "tidemark" for survey; to choose a package: -p NAME',
      /survey --help/,
    ],
    ['zzzzzz', 'Unknown argument: zzzzzz', 'unknown command "zzzzzz"', /^Run: bevelstone --help/],
    [
      'survey --raise huge',
      'Invalid values:\n  Argument: raise, Given: "huge", Choices: "patch", "minor"',
      'invalid value "huge" for --raise: expected "patch", "minor"',
      /survey --help/,
    ],
    ['promote a@1.0.0', 'Missing required arguments: from, to', 'missing --from, --to', /promote --help/],
    [
      'inspect',
      'Not enough non-option arguments: got 0, need at least 1',
      'missing argument: inspect <file>',
      /inspect --help/,
    ],
    [
      'build --list --twice',
      'Arguments list and twice are mutually exclusive',
      '--list and --twice cannot be used together',
      /build --help/,
    ],
  ])('%s: says what is wrong, and what was meant', async (line, parsed, message, fix) => {
    const args = line.split(' ');
    const listed = commandList.find(({ name }) => name.split(' ').every((word, index) => args[index] === word));
    const commands = new Map(listed === undefined ? [] : [[listed.name, await listed.load()] as const]);

    const error = usageError(parsed, args, commands);

    expect(error).toMatchObject({ code: 'USAGE', message, fix: expect.stringMatching(fix) });
  });
});

describe('completion', () => {
  const offered = (line: string) => complete(testContext(temporaryFolder()), line, commandList);

  it.each<[string, readonly string[]]>([
    ['bevelstone re', ['rehearse', 'release']],
    ['bevelstone ledger ', ['list', 'show', 'trace', 'lines']],
    ['bevelstone sbom c', ['check']],
    ['bevelstone survey --raise ', ['patch', 'minor', 'major']],
    ['bevelstone -q survey --ta', ['--tags']],
    ['bevelstone completion ', ['bash', 'zsh', 'fish']],
    ['bevelstone verify --explain archive/u', ['archive/unsafe-path']],
    ['bevelstone inspect ', []],
    ['bevelstone survey --at ', []],
  ])('of "%s" offers %j', async (line, expected) => {
    expect(await offered(line)).toEqual(expected);
  });

  it('offers options in full, those of every command included, and no hidden one', async () => {
    const options = await offered('bevelstone release --');

    expect(options).toEqual(expect.arrayContaining(['--dry-run', '--resume', '--package', '--json']));
    expect(options.every((option) => /^--[a-z-]{2,}$/.test(option))).toBe(true);
    expect(await offered('bevelstone completion --l')).toEqual([]);
  });

  it('never offers a placeholder', async () => {
    for (const { name } of commandList) {
      const words = await offered(`bevelstone ${name} -`);
      expect(words.filter((word) => /[<>[\]$]/.test(word))).toEqual([]);
    }
  });
});
