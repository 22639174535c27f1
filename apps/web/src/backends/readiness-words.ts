import type { Readiness } from '@moorage/contract/readiness';

export type Check = Readiness['cells'][number]['checks'][number];

const protocols: Record<string, string> = { NVMeOverFabrics: 'NVMe/TCP', NFSv4: 'NFS' };
export const protocolText = (name: string): string => protocols[name] ?? name;

export const checkTitles: Record<Check['check'], string> = {
  node: 'Node',
  driver: 'Driver on the node',
  label: 'Label',
  initiator: 'Initiator',
  paths: 'Paths',
  export: 'Address allowed',
  attach: 'Attachments',
};

/** What was found, in few words. */
export function checkFact(c: Check): string {
  switch (c.check) {
    case 'paths':
      return `${c.have} of ${c.need} up (${protocolText(c.of ?? '')})`;
    case 'attach':
      return `${c.have} of ${c.need} used`;
    case 'initiator':
      return c.state === 'passed' ? `${protocolText(c.of ?? '')}: ${c.have}` : `none for ${protocolText(c.of ?? '')}`;
    case 'export':
      return c.state === 'passed' ? `${c.have} is in a range` : `${c.of ?? ''} is in no range`;
    case 'label':
      return c.state === 'passed' ? `${c.of}=${c.have}` : `${c.of} is missing`;
    default:
      return String(c.have);
  }
}

/** Addresses of the node that a check of exports is about. */
export const addressesOf = (c: Check): string[] => (c.of ?? '').split(', ').filter(Boolean);

/** The exact thing to do about a check that does not pass. */
export function checkRemedy(c: Check, node: string, backend: string): string | undefined {
  if (c.state === 'passed') return undefined;
  switch (c.check) {
    case 'node':
      return `Bring ${node} back: the platform says it is not ready.`;
    case 'driver':
      return `Run the driver ${c.need} on ${node}; it registers itself with the node's list of drivers.`;
    case 'label':
      return `kubectl label node ${node} ${c.of}=ZONE`;
    case 'initiator':
      return `Set up the initiator for ${protocolText(c.of ?? '')} on ${node}, and let ${backend} know its name.`;
    case 'paths':
      return `Check the ports between ${node} and ${backend}: ${Number(c.need) - Number(c.have)} of ${c.need} paths by ${protocolText(c.of ?? '')} ${Number(c.need) - Number(c.have) === 1 ? 'is' : 'are'} down.`;
    case 'export':
      return `Let ${backend} export to ${addressesOf(c)
        .map((a) => `${a}/32`)
        .join(', ')} as well.`;
    case 'attach':
      return `Move pods off ${node}: ${c.have} of its ${c.need} attachments are used.`;
  }
}

export const shortFailure = (checks: readonly Check[]): string => {
  const worst = checks.find((c) => c.state === 'failed') ?? checks.find((c) => c.state === 'weak');
  if (!worst) return 'ready';
  switch (worst.check) {
    case 'node':
      return 'node not ready';
    case 'driver':
      return 'no driver';
    case 'label':
      return 'no label';
    case 'initiator':
      return `no ${protocolText(worst.of ?? '')}`;
    case 'paths':
      return `${worst.have} of ${worst.need} paths`;
    case 'export':
      return 'not exported to';
    case 'attach':
      return `${worst.have} of ${worst.need} attached`;
  }
};
