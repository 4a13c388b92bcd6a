import { spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import path from 'node:path';
import { execa } from 'execa';
import { temporaryFolder, testEnvironment } from './repository.ts';

/** Whether a terminal can be had: Python's pty module makes one. */
export const hasTerminal = spawnSync('python3', ['-c', 'import pty']).status === 0;

const script = `
import fcntl, os, pty, select, struct, sys, termios
answers = sys.argv[1].split(',') if sys.argv[1] else []
pid, fd = pty.fork()
if pid == 0:
    # Wide enough for a question on one line.
    fcntl.ioctl(0, termios.TIOCSWINSZ, struct.pack('HHHH', 50, 200, 0, 0))
    os.execvp(sys.argv[2], sys.argv[2:])
seen = b''
fresh = b''
status = None
while True:
    # A process that the program left behind may hold the terminal open: the end of the program itself is what counts.
    ready, _, _ = select.select([fd], [], [], 0.2)
    if not ready:
        if status is not None:
            break
        done, code = os.waitpid(pid, os.WNOHANG)
        if done:
            status = code
        continue
    try:
        chunk = os.read(fd, 65536)
    except OSError:
        break
    if not chunk:
        break
    seen += chunk
    fresh += chunk
    mark, _, text = answers[0].rpartition('=') if answers else ('', '', '')
    if answers and (mark or '(y/N)').encode() in fresh:
        answers.pop(0)
        fresh = b''
        os.write(fd, (text + '\\r').encode())
if status is None:
    _, status = os.waitpid(pid, 0)
sys.stdout.buffer.write(seen)
sys.exit(os.waitstatus_to_exitcode(status))
`;

/**
 * Runs a program in a terminal, and answers its questions in their order: an answer waits for `(y/N)`, or for the text before its `=`.
 *
 * @returns what it showed, and its exit code.
 */
export async function inTerminal(
  command: readonly string[],
  {
    cwd,
    env,
    answers,
  }: {
    readonly cwd: string;
    readonly env: Readonly<Record<string, string>>;
    readonly answers: readonly string[];
  },
): Promise<{ readonly shown: string; readonly exitCode: number }> {
  const file = path.join(temporaryFolder(), 'terminal.py');
  writeFileSync(file, script);
  const { stdout, exitCode } = await execa('python3', [file, answers.join(','), ...command], {
    cwd,
    env: testEnvironment({ TERM: 'xterm', ...env }),
    extendEnv: false,
    reject: false,
    stdin: 'ignore',
  });
  return { shown: stdout, exitCode: exitCode ?? -1 };
}
