export const median = (values) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)];

/** Waits for a state, so many minutes at most. */
export async function until(look, minutes = 1) {
  for (let i = 0; i < 1200 * minutes; i++) {
    if (await look().catch(() => false)) return;
    await new Promise((r) => setTimeout(r, 50));
  }
  throw new Error(`waited ${minutes} min`);
}

/** An operator at a server, once that knows its four pools and namespaces; `wake` hears of every live change of claims. */
export async function operatorAt(url) {
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
  await until(() => api('POST', '/api/session', { name: 'maren', password: 'lighthouse' }).then(() => true));
  await until(async () => {
    const known = (await api('GET', '/api/backends')).flatMap((b) => b.pools.map((p) => p.id));
    const pools = ['basalt-swift', 'basalt-broad', 'kelp-nvme', 'kelp-deep'];
    return pools.every((p) => known.includes(p)) && (await api('GET', '/api/namespaces')).length >= 4;
  });
  await api('POST', '/api/classes', { name: 'bench' });
  await api('PUT', '/api/moorings/bench/kelp-nvme', { enabled: true });

  let wake = () => undefined;
  const abort = new AbortController();
  const stream = await fetch(`${url}/api/events`, { headers: { Cookie: cookie }, signal: abort.signal });
  void (async () => {
    for await (const chunk of stream.body) if (Buffer.from(chunk).includes('"topic":"claims"')) wake();
  })().catch(() => undefined);
  return {
    api,
    cookie: () => cookie,
    end: () => abort.abort(),
    /** Milliseconds from creating a claim until a reader of the event stream finds it bound. */
    bind: async (name) => {
      const began = performance.now();
      await api('POST', '/api/claims', {
        namespace: 'wave-model',
        name,
        className: 'bench',
        size: '2Gi',
        modes: ['ReadWriteOnce'],
        volumeMode: 'Filesystem',
      });
      for (;;) {
        const changed = new Promise((resolve) => (wake = resolve));
        const { claim } = await api('GET', `/api/claims/wave-model/${name}`);
        if (claim.state === 'bound') return performance.now() - began;
        await Promise.race([changed, new Promise((r) => setTimeout(r, 1000))]);
      }
    },
  };
}
