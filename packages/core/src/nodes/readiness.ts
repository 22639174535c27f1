/** What one node says of itself, from the platform. */
export interface NodeFacts {
  readonly name: string;
  readonly addresses: readonly string[];
  readonly labels: Readonly<Record<string, string>>;
  readonly ready: boolean;
  /** Drivers registered on the node, each with the labels it needs and how many volumes it can attach. */
  readonly drivers: readonly {
    readonly name: string;
    readonly labels: readonly string[];
    readonly attachLimit?: number;
  }[];
  /** Names of its initiators, as backends know them. */
  readonly initiators: readonly string[];
  /** Volumes attached now. */
  readonly attached: number;
}

/** What a backend says of the ways to it. */
export interface BackendWays {
  readonly protocols: readonly string[];
  /** One for each way from an initiator to the backend. */
  readonly paths: readonly { readonly initiator: string; readonly protocol: string; readonly up: boolean }[];
  /** Address ranges that may mount its exports; undefined where it says nothing of them. */
  readonly clients?: readonly { readonly address: string; readonly mask: string }[];
}

export type ReadinessCheckName = 'node' | 'driver' | 'label' | 'initiator' | 'paths' | 'export' | 'attach';

export interface ReadinessCheck {
  readonly check: ReadinessCheckName;
  /** `weak` serves, with less than it should. */
  readonly state: 'passed' | 'weak' | 'failed';
  readonly need: string | number;
  readonly have: string | number;
  /** What the check is about: a protocol, a label, an address. */
  readonly of?: string;
}

const isBlock = (protocol: string): boolean => /^(iSCSI|FC|NVMe)/.test(protocol);
const isFile = (protocol: string): boolean => /^(NFS|SMB)/.test(protocol);
const prefixOf = (protocol: string): string =>
  protocol === 'iSCSI' ? 'iqn.' : protocol.startsWith('NVMe') ? 'nqn.' : '';

function addressNumber(address: string): number | undefined {
  const parts = address.split('.').map(Number);
  if (parts.length !== 4 || parts.some((p) => !Number.isInteger(p) || p < 0 || p > 255)) return undefined;
  return parts.reduce((sum, p) => sum * 256 + p, 0);
}

/** The mask of a range that holds one address. */
export const singleAddressMask = '255.255.255.255';

/** Whether an IPv4 address lies in a range given as address and mask. */
export function inRange(address: string, range: { readonly address: string; readonly mask: string }): boolean {
  const [a, base, mask] = [address, range.address, range.mask].map(addressNumber);
  if (a === undefined || base === undefined || mask === undefined) return false;
  return (a & mask) >>> 0 === (base & mask) >>> 0;
}

/** Every condition under which pods on a node can use a backend's volumes, each with what was needed and what there is. */
export function nodeReadiness(node: NodeFacts, driverName: string, backend: BackendWays): ReadinessCheck[] {
  const checks: ReadinessCheck[] = [
    { check: 'node', state: node.ready ? 'passed' : 'failed', need: 'ready', have: node.ready ? 'ready' : 'not ready' },
  ];
  const driver = node.drivers.find((d) => d.name === driverName);
  checks.push({
    check: 'driver',
    state: driver ? 'passed' : 'failed',
    need: driverName,
    have: driver ? driverName : node.drivers.map((d) => d.name).join(', ') || 'none',
  });
  for (const label of driver?.labels ?? [])
    checks.push({
      check: 'label',
      state: node.labels[label] ? 'passed' : 'failed',
      need: label,
      have: node.labels[label] ?? 'missing',
      of: label,
    });
  for (const protocol of backend.protocols.filter(isBlock)) checks.push(...blockChecks(node, protocol, backend));
  if (backend.clients && backend.protocols.some(isFile)) {
    const allowed = node.addresses.filter((a) => backend.clients!.some((r) => inRange(a, r)));
    checks.push({
      check: 'export',
      state: allowed.length > 0 ? 'passed' : 'failed',
      need: node.addresses.join(', ') || 'an address',
      have: allowed.length > 0 ? allowed.join(', ') : 'not in any range',
      of: node.addresses.join(', '),
    });
  }
  if (driver?.attachLimit !== undefined) {
    const left = driver.attachLimit - node.attached;
    checks.push({
      check: 'attach',
      state: left <= 0 ? 'failed' : left < driver.attachLimit * 0.1 ? 'weak' : 'passed',
      need: driver.attachLimit,
      have: node.attached,
    });
  }
  return checks;
}

function blockChecks(node: NodeFacts, protocol: string, backend: BackendWays): ReadinessCheck[] {
  const mine = node.initiators.filter((i) => i.startsWith(prefixOf(protocol)));
  const checks: ReadinessCheck[] = [
    {
      check: 'initiator',
      state: mine.length > 0 ? 'passed' : 'failed',
      need: protocol,
      have: mine.join(', ') || 'none',
      of: protocol,
    },
  ];
  if (mine.length === 0) return checks;
  const ways = backend.paths.filter((p) => p.protocol === protocol && mine.includes(p.initiator));
  // what the backend gives its best-connected node is what every node should have
  const counts = new Map<string, number>();
  for (const p of backend.paths)
    if (p.protocol === protocol) counts.set(p.initiator, (counts.get(p.initiator) ?? 0) + 1);
  const expected = Math.max(0, ...counts.values());
  if (expected === 0) return checks;
  const up = ways.filter((p) => p.up).length;
  checks.push({
    check: 'paths',
    state: up === 0 ? 'failed' : up < expected ? 'weak' : 'passed',
    need: expected,
    have: up,
    of: protocol,
  });
  return checks;
}

/** A node can use a backend when it passes all that is common, and everything of at least one of its protocols. */
export function isReady(checks: readonly ReadinessCheck[]): 'ready' | 'weak' | 'unready' {
  const common = checks.filter((c) => c.check !== 'initiator' && c.check !== 'paths');
  if (common.some((c) => c.state === 'failed')) return 'unready';
  const ways = checks.filter((c) => c.check === 'initiator' || c.check === 'paths');
  const protocols = [...new Set(ways.map((c) => c.of))];
  const usable = protocols.filter((p) => ways.every((c) => c.of !== p || c.state !== 'failed'));
  if (protocols.length > 0 && usable.length === 0) return 'unready';
  return checks.some((c) => c.state !== 'passed') ? 'weak' : 'ready';
}
