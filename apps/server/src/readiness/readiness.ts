import type { PoolFacts } from '@moorage/contract/backends';
import type { Readiness } from '@moorage/contract/readiness';
import { provisioner } from '@moorage/core/classes/manifest';
import { isReady, nodeReadiness, type BackendWays, type NodeFacts } from '@moorage/core/nodes/readiness';
import type { Database } from '../database/database';

const initiatorsAnnotation = `${provisioner}/initiators`;
/** Nodes looked at; a page of more tells nobody anything. */
const mostNodes = 2000;

interface StoredNode {
  name: string;
  addresses: { type: string; address: string }[] | null;
  labels: Record<string, string> | null;
  initiators: string | null;
  ready: string | null;
  drivers: { name: string; topologyKeys?: string[]; allocatable?: { count?: number } }[] | null;
  attached: number;
}

async function nodeFacts(database: Database): Promise<NodeFacts[]> {
  const rows = await database.rows<StoredNode>(
    `SELECT n.name, n.body #> '{status,addresses}' AS addresses, n.body #> '{metadata,labels}' AS labels,
       n.body #>> ARRAY['metadata', 'annotations', $1] AS initiators,
       (SELECT c ->> 'status' FROM jsonb_array_elements(n.body #> '{status,conditions}') c WHERE c ->> 'type' = 'Ready') AS ready,
       d.body #> '{spec,drivers}' AS drivers, coalesce(a.attached, 0) AS attached
     FROM platform_objects n
     LEFT JOIN platform_objects d ON d.plural = 'csinodes' AND d.name = n.name
     LEFT JOIN (
       SELECT p.body #>> '{spec,nodeName}' AS node, count(DISTINCT (p.namespace, v #>> '{persistentVolumeClaim,claimName}')) AS attached
       FROM platform_objects p, jsonb_array_elements(p.body #> '{spec,volumes}') v
       WHERE p.plural = 'pods' AND v ? 'persistentVolumeClaim' GROUP BY 1
     ) a ON a.node = n.name
     WHERE n.plural = 'nodes' ORDER BY n.name LIMIT ${mostNodes}`,
    [initiatorsAnnotation],
  );
  return rows.map((n) => ({
    name: n.name,
    addresses: (n.addresses ?? []).filter((a) => a.type === 'InternalIP').map((a) => a.address),
    labels: n.labels ?? {},
    ready: n.ready === 'True',
    drivers: (n.drivers ?? []).map((d) => ({
      name: d.name,
      labels: d.topologyKeys ?? [],
      attachLimit: d.allocatable?.count,
    })),
    initiators: (n.initiators ?? '').split(',').filter(Boolean),
    attached: n.attached,
  }));
}

/** Whether each node of this site can use each backend that serves it, with every check. */
export async function readiness(database: Database, site: string): Promise<Readiness> {
  const [nodes, backends, pools] = await Promise.all([
    nodeFacts(database),
    database.rows<{ id: string; reachable: boolean; ways: Pick<BackendWays, 'paths' | 'clients'> }>(
      'SELECT id, reachable, ways FROM backends WHERE $1 = ANY(sites) ORDER BY id LIMIT 200',
      [site],
    ),
    database.rows<{ backend_id: string; protocols: PoolFacts['protocols'] }>(
      `SELECT backend_id, facts -> 'protocols' AS protocols FROM pools WHERE gone_since IS NULL LIMIT 5000`,
    ),
  ]);
  const shown = backends.filter((b) => pools.some((p) => p.backend_id === b.id));
  return {
    nodes: nodes.map((n) => ({
      name: n.name,
      zone: n.labels['topology.kubernetes.io/zone'] ?? '',
      addresses: [...n.addresses],
    })),
    backends: shown.map(({ id, reachable }) => ({ id, reachable })),
    cells: shown.flatMap((b) => {
      const protocols = [...new Set(pools.filter((p) => p.backend_id === b.id).flatMap((p) => p.protocols))];
      return nodes.map((node) => {
        const checks = nodeReadiness(node, provisioner, { ...b.ways, protocols });
        return { node: node.name, backend: b.id, state: isReady(checks), checks };
      });
    }),
  };
}
