import { readFileSync } from 'node:fs';
import { median, operatorAt } from './bench-api.mjs';

const resident = (pid, field) =>
  Math.round(Number(new RegExp(`${field}:\\s+(\\d+)`).exec(readFileSync(`/proc/${pid}/status`, 'utf8'))[1]) / 1024);

/** Sum of the seconds the server spent in calls of these kinds, from its own metrics. */
export async function callSeconds(url, kinds) {
  const text = await fetch(`${url}/metrics`).then((r) => r.text());
  let sum = 0;
  for (const [, labels, value] of text.matchAll(/^moorage_call_seconds_sum\{([^}]*)\} (\S+)$/gm))
    if (kinds.test(labels)) sum += Number(value);
  return sum;
}

/** Makes claims one after another and measures each from its creation to the moment a reader of the event stream finds it bound. */
export async function measureBinding({ url, pid }) {
  const operator = await operatorAt(url);
  await new Promise((r) => setTimeout(r, 3000));
  const idleMegabytes = resident(pid, 'VmRSS');
  const bound = [];
  const calls = [];
  const makes = [];
  // what a claim needs from outside: its creation, the volume with its task, the persistent volume
  const outside = /world="platform",call="create"|world="kelp",call="volume made"/;
  const made = /call="volume made"/;
  const claims = 30;
  for (let i = -5; i < claims; i++) {
    const [before, madeBefore] = [await callSeconds(url, outside), await callSeconds(url, made)];
    const took = await operator.bind(`bench-${i + 5}`);
    // the first ones warm caches and sessions up
    if (i < 0) continue;
    bound.push(took);
    calls.push(1000 * ((await callSeconds(url, outside)) - before));
    makes.push(1000 * ((await callSeconds(url, made)) - madeBefore));
  }
  operator.end();
  return {
    claims,
    boundMs: median(bound),
    callsMs: median(calls),
    makeMs: median(makes),
    ratio: median(bound) / median(calls),
    idleMegabytes,
    peakMegabytes: resident(pid, 'VmHWM'),
  };
}
