import type { Manifest } from '../acts/platform-step';
import type { AccessMode, VolumeMode } from '../classes/storage-class';
import { hostKey, zoneKey, type SpreadRule } from './pods';

export interface AskedTemplate {
  readonly name: string;
  readonly className: string;
  /** A quantity of the platform. */
  readonly size: string;
  readonly modes: readonly AccessMode[];
  readonly volumeMode: VolumeMode;
}

/** How far replicas keep apart: not at all by rule, no two on a node, or evenly over the zones as well. */
export const spreads = ['any', 'nodes', 'zones'] as const;
export type SpreadWanted = (typeof spreads)[number];
export const retentions = ['Retain', 'Delete'] as const;
export type Retention = (typeof retentions)[number];

/** An application as a person asks for it: a stateful set with its service and, where wanted, its namespace. */
export interface AskedApplication {
  readonly namespace: string;
  readonly name: string;
  readonly replicas: number;
  readonly image: string;
  readonly templates: readonly AskedTemplate[];
  readonly spread: SpreadWanted;
  /** One after the other, each once the one before is ready; else all at once. */
  readonly ordered: boolean;
  readonly whenScaled: Retention;
  readonly whenDeleted: Retention;
  /** Port of its service. */
  readonly port: number;
}

const labelsOf = (name: string) => ({ app: name });

/** The rules of the platform that keep replicas apart. */
export function spreadRules(wanted: SpreadWanted, labels: Readonly<Record<string, string>>): SpreadRule[] {
  if (wanted === 'any') return [];
  const rule = (key: string): SpreadRule => ({ key, maxSkew: 1, labels });
  return wanted === 'nodes' ? [rule(hostKey)] : [rule(zoneKey), rule(hostKey)];
}

export const constraintsOf = (rules: readonly SpreadRule[]) =>
  rules.map(({ key, maxSkew, labels }) => ({
    ...{ maxSkew, topologyKey: key, whenUnsatisfiable: 'DoNotSchedule' as const },
    labelSelector: { matchLabels: { ...labels } },
  }));

/** Names of the claims of one replica, in the order of the templates. */
export const claimNamesOf = (
  { name, templates }: { readonly name: string; readonly templates: readonly { readonly name: string }[] },
  ordinal: number,
): string[] => templates.map((t) => `${t.name}-${name}-${ordinal}`);

/** The stateful set of it, as the platform takes it. */
export function setManifest(asked: AskedApplication) {
  const { namespace, name, replicas, image, templates, port } = asked;
  const labels = labelsOf(name);
  const constraints = constraintsOf(spreadRules(asked.spread, labels));
  const container = {
    ...{ name, image },
    ports: [{ containerPort: port }],
    volumeMounts: templates
      .map((t) => (t.volumeMode === 'Block' ? undefined : { name: t.name, mountPath: `/var/lib/${name}/${t.name}` }))
      .filter((m) => m !== undefined),
    ...(templates.some((t) => t.volumeMode === 'Block') && {
      volumeDevices: templates
        .filter((t) => t.volumeMode === 'Block')
        .map((t) => ({ name: t.name, devicePath: `/dev/${t.name}` })),
    }),
  };
  return {
    apiVersion: 'apps/v1',
    kind: 'StatefulSet',
    metadata: { name, namespace, labels },
    spec: {
      serviceName: name,
      replicas,
      podManagementPolicy: asked.ordered ? 'OrderedReady' : 'Parallel',
      persistentVolumeClaimRetentionPolicy: { whenScaled: asked.whenScaled, whenDeleted: asked.whenDeleted },
      selector: { matchLabels: labels },
      template: {
        metadata: { labels },
        spec: {
          ...(constraints.length > 0 && { topologySpreadConstraints: constraints }),
          containers: [container],
        },
      },
      volumeClaimTemplates: templates.map((t) => ({
        metadata: { name: t.name },
        spec: {
          accessModes: [...t.modes],
          volumeMode: t.volumeMode,
          storageClassName: t.className,
          resources: { requests: { storage: t.size.trim() } },
        },
      })),
    },
  };
}

/** The objects of the platform that make it, in the order in which they are made. */
export function applicationManifests(asked: AskedApplication, makeNamespace: boolean): Manifest[] {
  const { namespace, name, port } = asked;
  const labels = labelsOf(name);
  const service = {
    apiVersion: 'v1',
    kind: 'Service',
    metadata: { name, namespace, labels },
    // without an address of its own: each pod is found by its name
    spec: { clusterIP: 'None', selector: labels, ports: [{ port }] },
  };
  return [
    ...(makeNamespace ? [{ apiVersion: 'v1', kind: 'Namespace', metadata: { name: namespace } }] : []),
    service,
    setManifest(asked),
  ];
}
