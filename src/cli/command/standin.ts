import { once } from 'node:events';
import { lacks } from '../../core/name/lack.ts';
import { remoteProtocols } from '../../core/name/protocol.ts';
import type { RunningStandin, StandinOptions } from '../../flow/trial/standin.ts';
import { type Command, optionalText, textList } from '../command.ts';
import { renderStandin, standinJson } from '../view/standin.ts';

/** `bevelstone standin`. */
export const standin: Command<StandinOptions, RunningStandin> = {
  options: (yargs) =>
    yargs
      .option('port', { type: 'number', default: 8088, describe: 'Port on the loopback interface; 0 for any free one' })
      .option('store', { type: 'string', describe: 'Folder for uploads; by default a temporary one' })
      .option('speaks', {
        type: 'string',
        array: true,
        choices: remoteProtocols,
        describe: 'Protocols to serve; all by default',
      })
      .option('token', {
        type: 'string',
        array: true,
        nargs: 1,
        describe:
          'Accepted token, as env:NAME or file:PATH, optionally followed by ,read or ,only=PACKAGE; may be repeated',
      })
      .option('lacks', {
        type: 'string',
        array: true,
        choices: lacks,
        describe: 'What it cannot do, to try a program with such a server',
      })
      .option('private', { type: 'boolean', describe: 'Reading needs a token too' }),
  examples: [
    ['standin --store ../office', 'A registry on 127.0.0.1:8088 that stores uploads in ../office'],
    ['standin --port 0 --token env:TRY_TOKEN', 'On any free port, with your own token'],
    ['standin --private --token env:TRY_TOKEN,only=tidemark', 'A token for one package, also needed for reading'],
  ],
  parse: (raw) => ({
    port: Number(raw['port']),
    store: optionalText(raw, 'store'),
    tokens: textList(raw, 'token'),
    speaks: textList(raw, 'speaks'),
    lacks: textList(raw, 'lacks'),
    isPrivate: raw['private'] === true,
  }),
  run: async (options, context) => {
    const { runStandin } = await import('../../flow/trial/standin.ts');
    const running = await runStandin(context, options);
    const stopped = context.signal.aborted ? Promise.resolve() : once(context.signal, 'abort');
    return { result: running, until: stopped.then(() => running.close()) };
  },
  render: renderStandin,
  toJson: standinJson,
};
