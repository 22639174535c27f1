import { spawn } from 'node:child_process';
import { root } from './places.mjs';

/** Runs a Node script of the project to its end while other work goes on; gives whether it succeeded, and all that it said. */
export function runNode(script, args, { env, timeoutMs } = {}) {
  return new Promise((resolve) => {
    const child = spawn(process.execPath, [script, ...args], {
      cwd: root,
      env: { ...process.env, ...env },
      stdio: ['ignore', 'pipe', 'pipe'],
      timeout: timeoutMs,
      killSignal: 'SIGKILL',
    });
    let output = '';
    for (const stream of [child.stdout, child.stderr])
      stream.setEncoding('utf8').on('data', (text) => (output += text));
    child.once('error', (error) => resolve({ ok: false, output: String(error) }));
    child.once('close', (status, signal) =>
      resolve({ ok: status === 0, output: signal ? `${output}\nended by ${signal}` : output }),
    );
  });
}
