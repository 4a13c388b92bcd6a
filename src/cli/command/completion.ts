import path from 'node:path';
import { type Command, optionalText } from '../command.ts';
import { completionScripts, type Shell, shells } from '../completion-scripts.ts';

type Arguments = { readonly shell: Shell | null; readonly line: string | null };

/** `bevelstone completion [SHELL]`. */
export const completion: Command<Arguments, readonly string[]> = {
  options: (yargs) =>
    yargs
      .positional('shell', { type: 'string', choices: shells, describe: "Shell to write it for; by default $SHELL's" })
      .option('line', { type: 'string', hidden: true, describe: 'What may stand at the end of this line' }),
  examples: [
    ['completion bash', 'In ~/.bashrc: eval "$(bevelstone completion bash)"'],
    ['completion fish', 'In config.fish: bevelstone completion fish | source'],
  ],
  parse: (raw) => ({ shell: shells.find((shell) => shell === raw['shell']) ?? null, line: optionalText(raw, 'line') }),
  run: async ({ shell, line }, context, { commands }) => {
    if (line === null) {
      const own = path.basename(context.env['SHELL'] ?? '');
      return { result: [completionScripts[shell ?? shells.find((shell) => shell === own) ?? 'bash']] };
    }
    const { complete } = await import('../complete.ts');
    // A shell asks at every keystroke, in any folder: where nothing is known, nothing is offered.
    return { result: await complete(context, line, commands).catch(() => []) };
  },
  render: (lines) => lines.join('\n'),
  toJson: (lines) => ({ lines }),
};
