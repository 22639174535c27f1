import { readFileSync } from 'node:fs';

const median = (values) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)];
const resident = (pid, field) =>
  Math.round(Number(new RegExp(`${field}:\\s+(\\d+)`).exec(readFileSync(`/proc/${pid}/status`, 'utf8'))[1]) / 1024);

/** Sum of the seconds the server spent in calls of these kinds, from its own metrics. */
async function callSeconds(url, kinds) {
  const text = await fetch(`${url}/metrics`).then((r) => r.text());
  let sum = 0;
  for (const [, labels, value] of text.matchAll(/^moorage_call_seconds_sum\{([^}]*)\} (\S+)$/gm))
    if (kinds.test(labels)) sum += Number(value);
  return sum;
}

/** Makes claims one after another and measures each from its creation to the moment a reader of the event stream finds it bound. */
export async function measureBinding({ url, pid }) {
  let cookie = '';
  const api = async (method, path, body) => {
    const response = await fetch(url + path, {
      method,
      headers: { Cookie: cookie, 'Content-Type': 'application/json' },
      body: body && JSON.stringify(body),
    });
    cookie = response.headers.getSetCookie()[0]?.split(';')[0] ?? cookie;
    const text = await response.text();
    if (!response.ok) throw new Error(`${method} ${path}: ${text}`);
    return text ? JSON.parse(text) : undefined;
  };
  const until = async (look) => {
    for (let i = 0; i < 1200; i++) {
      if (await look().catch(() => false)) return;
      await new Promise((r) => setTimeout(r, 50));
    }
    throw new Error('waited a minute');
  };
  await until(() => api('POST', '/api/session', { name: 'maren', password: 'lighthouse' }).then(() => true));
  await until(
    async () =>
      (await api('GET', '/api/backends')).flatMap((b) => b.pools).length === 4 &&
      (await api('GET', '/api/namespaces')).length >= 4,
  );
  await api('POST', '/api/classes', { name: 'bench' });
  await api('PUT', '/api/moorings/bench/kelp-nvme', { enabled: true });
  await new Promise((r) => setTimeout(r, 3000));
  const idleMegabytes = resident(pid, 'VmRSS');

  // wakes whoever waits, at every live change of claims
  let wake = () => undefined;
  const abort = new AbortController();
  const stream = await fetch(`${url}/api/events`, { headers: { Cookie: cookie }, signal: abort.signal });
  void (async () => {
    for await (const chunk of stream.body) if (Buffer.from(chunk).includes('"topic":"claims"')) wake();
  })().catch(() => undefined);

  const bound = [];
  const calls = [];
  const makes = [];
  // what a claim needs from outside: its creation, the volume with its task, the persistent volume
  const outside = /world="platform",call="create"|world="kelp",call="volume made"/;
  const made = /call="volume made"/;
  const claims = 30;
  for (let i = -5; i < claims; i++) {
    const [before, madeBefore] = [await callSeconds(url, outside), await callSeconds(url, made)];
    const began = performance.now();
    await api('POST', '/api/claims', {
      namespace: 'wave-model',
      name: `bench-${i + 5}`,
      className: 'bench',
      size: '2Gi',
      modes: ['ReadWriteOnce'],
      volumeMode: 'Filesystem',
    });
    for (;;) {
      const changed = new Promise((resolve) => (wake = resolve));
      const { claim } = await api('GET', `/api/claims/wave-model/bench-${i + 5}`);
      if (claim.state === 'bound') break;
      await Promise.race([changed, new Promise((r) => setTimeout(r, 1000))]);
    }
    const took = performance.now() - began;
    // the first ones warm caches and sessions up
    if (i < 0) continue;
    bound.push(took);
    calls.push(1000 * ((await callSeconds(url, outside)) - before));
    makes.push(1000 * ((await callSeconds(url, made)) - madeBefore));
  }
  abort.abort();
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
