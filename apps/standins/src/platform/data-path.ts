/** How a host reads and writes what a backend's volumes hold. */
export interface DataPath {
  /** Resolves once the write is acknowledged; refused for any but the last host that read the volume. */
  write(volume: string, block: number, text: string, host: string): Promise<void>;
  /** What it holds. From now on it is written by this host alone. */
  read(volume: string, host: string): Promise<[block: number, text: string][]>;
}

/** How long a host waits for an answer before it asks again, milliseconds. */
const patienceMs = 5_000;

/** To a backend that runs elsewhere, by its control address. */
export function dataPathTo(address: string): DataPath {
  const call = async (path: string, body: object): Promise<unknown> => {
    const response = await fetch(`${address}/data/${path}`, {
      signal: AbortSignal.timeout(patienceMs),
      ...{ method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) },
    });
    const answer: unknown = await response.json();
    if (!response.ok) throw new Error((answer as { detail: string }).detail);
    return answer;
  };
  return {
    write: async (volume, block, text, host) => void (await call(`${volume}/${block}`, { text, host })),
    read: async (volume, host) => (await call(volume, { host })) as [number, string][],
  };
}
