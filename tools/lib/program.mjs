import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { root } from './places.mjs';
import { Stop } from './say.mjs';

/** Starts one of our built programs and waits until a line of its output matches. Gives that line and a way to end it. */
export function startProgram(file, args, { env = {}, until, name, onExit, onLine }) {
  const child = spawn(process.execPath, [join(root, file), ...args], {
    env: { ...process.env, ...env },
    stdio: ['ignore', 'pipe', 'pipe'],
    detached: true,
  });
  let said = '';
  let stopping = false;
  let finished = false;
  const exit = new Promise((resolve) =>
    child.once('exit', (code) => {
      finished = true;
      resolve(code);
      if (!stopping) onExit?.(code, said);
    }),
  );
  const stop = async () => {
    stopping = true;
    if (finished) return;
    child.kill('SIGTERM');
    const timer = setTimeout(() => child.kill('SIGKILL'), 5000);
    await exit;
    clearTimeout(timer);
  };
  return new Promise((resolve, reject) => {
    const hear = (chunk) => {
      said = (said + chunk).slice(-8000);
      for (const line of String(chunk).split('\n').filter(Boolean)) {
        onLine?.(line);
        if (until.test(line)) resolve({ line, stop, pid: child.pid });
      }
    };
    child.stdout.on('data', hear);
    child.stderr.on('data', hear);
    void exit.then(() => reject(new Stop(`${name} ended before it was ready. It said:\n${said}`)));
  });
}
