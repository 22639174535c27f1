import type { PoolFacts } from '@moorage/contract/backends';
import { toCorePool } from '@moorage/contract/pool-state';
import type { Access, Certificate, Probe, ProbeOutcome } from '@moorage/contract/registration';
import { accessModes } from '@moorage/core/classes/storage-class';
import { copiesOffered, givesMode } from '@moorage/core/pools/pool';
import type { Metrics } from '../metrics/metrics';
import { bareRow } from '../pools/pool-row';
import { BackendProblem, type BackendView } from '../swordfish/connector';
import { BackendHttp } from '../swordfish/http';
import { rootSchema } from '../swordfish/schemas';
import { SwordfishConnector } from '../swordfish/swordfish';
import { fetchCertificate, pinMismatch } from '../swordfish/trust';

/** Older services lack what is needed here: expanded collections and replica information. */
const oldest = [1, 8] as const;

const untrusted =
  /^(DEPTH_ZERO_SELF_SIGNED_CERT|SELF_SIGNED_CERT_IN_CHAIN|UNABLE_TO_|CERT_|ERR_TLS_CERT_ALTNAME_INVALID|HOSTNAME_MISMATCH)/;

/** Why a connection did not come about, from the code the system gave. */
function connectionOutcome(error: BackendProblem): ProbeOutcome {
  if (error.code === 'timed-out') return 'timed-out';
  const { code } = ((error.cause as { cause?: { code?: string } } | undefined)?.cause ?? {}) as { code?: string };
  if (code === undefined) return 'refused';
  if (/^(ENOTFOUND|EAI_AGAIN|EAI_NODATA|EAI_NONAME)$/.test(code)) return 'name-not-found';
  if (code === pinMismatch || untrusted.test(code)) return 'not-trusted';
  // plain text answered to a greeting in TLS, or the other way round
  if (/^(ERR_SSL|EPROTO)|_INVALID_/.test(code)) return 'not-storage';
  if (/TIMEOUT|ETIMEDOUT/.test(code)) return 'timed-out';
  return 'refused';
}

function isTooOld(version: string): boolean {
  const [major = 0, minor = 0] = version.split('.').map(Number);
  return major < oldest[0] || (major === oldest[0] && minor < oldest[1]);
}

/** Looks at an address step by step, and says at the first step that fails what that means. Never throws for what is out there. */
export async function probeBackend(access: Access, metrics: Metrics, timeoutMs: number): Promise<Probe> {
  const http = new BackendHttp({ ...access, name: 'probe' }, timeoutMs, metrics);
  const found = { product: null as string | null, version: null as string | null };
  let certificate: Certificate | undefined;
  const answer = (outcome: ProbeOutcome, detail: string, view?: BackendView): Probe => ({
    outcome,
    detail,
    ...found,
    certificate: certificate ?? null,
    identity: view?.identity ?? null,
    pools: view?.pools.map((p) => capabilities(p.name, p.facts)) ?? [],
    nodes: view?.nodes.length ?? 0,
    disks: view?.disks.length ?? 0,
  });
  try {
    certificate = await fetchCertificate(access.address, timeoutMs);
    const root = await http.peek('/redfish/v1');
    const shaped = rootSchema.safeParse(root.data);
    if (!shaped.success || root.status >= 400)
      return answer('not-storage', `GET /redfish/v1 answered ${root.status}, and not as a storage service does`);
    found.product = shaped.data.Product ?? shaped.data.Name;
    found.version = shaped.data.RedfishVersion;
    if (isTooOld(shaped.data.RedfishVersion))
      return answer('too-old', `it speaks version ${shaped.data.RedfishVersion}; ${oldest.join('.')} is needed`);
    const connector = new SwordfishConnector(http);
    if (!(await connector.mayChange()))
      return answer('lacking-rights', `user "${access.username}" may look at it, and change nothing`);
    return answer('ready', '', await connector.fetchView());
  } catch (error) {
    if (!(error instanceof BackendProblem)) throw error;
    const { code, message } = error;
    if (code === 'unauthorised') {
      const lacking = /privilege|answered 403/i.test(message);
      return answer(lacking ? 'lacking-rights' : 'wrong-credentials', message);
    }
    if (code === 'unreachable' || code === 'timed-out') return answer(connectionOutcome(error), message);
    return answer(found.version === null ? 'not-storage' : 'nonsense', message);
  } finally {
    await http.close();
  }
}

/** What a pool offers to classes, read from it. */
function capabilities(name: string, facts: PoolFacts): Probe['pools'][number] {
  const pool = toCorePool({ ...bareRow(name, facts), reachable: true, healthy: true, diskUse: {} });
  const { most, by } = copiesOffered(pool);
  return {
    name,
    protocols: facts.protocols,
    accessModes: accessModes.filter((mode) => givesMode(pool, mode, 'Filesystem') || givesMode(pool, mode, 'Block')),
    volumeModes: facts.access.includes('block') ? ['Filesystem', 'Block'] : ['Filesystem'],
    snapshots: facts.snapshots,
    clones: facts.clones,
    expansion: facts.expansion,
    encryption: facts.encryption,
    copies: by === 'domains' ? Math.min(most, 5) : most,
    offsite: facts.offsite,
    iops: facts.iops,
    minimum: facts.minimum,
    maximum: facts.maximum,
    granule: facts.granule,
  };
}
