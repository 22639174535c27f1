import { createHash } from 'node:crypto';
import { note } from './events';
import { claimsOf, isOver, isReady, taintsOf } from './fit';
import type { Later, Pace } from './pace';
import type { KubeObject, Store } from './store';

export const outOfService = 'node.kubernetes.io/out-of-service';

/** Modes with which a volume is on one node at a time. */
const oneNode = new Set(['ReadWriteOnce', 'ReadWriteOncePod']);
const volumeOf = (attachment: KubeObject): string =>
  String((attachment.spec as { source?: { persistentVolumeName?: string } }).source?.persistentVolumeName ?? '');
const nodeOf = (attachment: KubeObject): string => String(attachment.spec?.nodeName ?? '');

/** Bound volumes of others' making that a pod on a node needs there. */
export function volumesFor(store: Store, pod: KubeObject): KubeObject[] {
  return claimsOf(store, pod).flatMap((claim) => {
    const volume = claim?.spec?.volumeName && store.find('persistentvolumes', undefined, String(claim.spec.volumeName));
    const csi = volume ? (volume.spec?.csi as { driver?: string } | undefined) : undefined;
    const driver = csi?.driver && store.find('csidrivers', undefined, csi.driver);
    return volume && driver && driver.spec?.attachRequired !== false ? [volume] : [];
  });
}

export const isAttached = (store: Store, volume: KubeObject, node: string): boolean =>
  store
    .list('volumeattachments')
    .some((a) => volumeOf(a) === volume.metadata.name && nodeOf(a) === node && a.status?.attached === true);

/**
 * Attaches the volumes of pods to their nodes, one node at a time where their modes say so, and takes them from nodes where nothing
 * uses them any more: at once where a node is declared out of service, late where it cannot be asked.
 */
export function attachVolumes(store: Store, later: Later, pace: Pace): void {
  const wanted = new Map<string, { volume: KubeObject; pod: KubeObject; node: string }>();
  for (const pod of store.list('pods'))
    if (pod.spec?.nodeName && !isOver(pod))
      for (const volume of volumesFor(store, pod))
        wanted.set(`${volume.metadata.name}@${pod.spec.nodeName}`, { volume, pod, node: pod.spec.nodeName });
  const attachments = store.list('volumeattachments');
  for (const attachment of attachments) {
    const key = `${volumeOf(attachment)}@${nodeOf(attachment)}`;
    if (wanted.has(key)) {
      later.forget(`detach ${attachment.metadata.name}`);
      continue;
    }
    const node = store.find('nodes', undefined, nodeOf(attachment));
    const isGone = !node || taintsOf(node).some((t) => t.key === outOfService);
    const ms = isGone ? 0 : isReady(node) ? pace.detachMs : pace.forceMs;
    const detach = () => {
      if (store.find('volumeattachments', undefined, attachment.metadata.name))
        store.delete('volumeattachments', undefined, attachment.metadata.name);
    };
    if (isGone) later.forget(`detach ${attachment.metadata.name}`);
    later.after(`detach ${attachment.metadata.name}`, ms, detach);
  }
  for (const { volume, pod, node } of wanted.values()) {
    const name = `csi-${createHash('sha256').update(`${volume.metadata.uid}${node}`).digest('hex')}`;
    const own = store.find('volumeattachments', undefined, name);
    if (own) {
      if (own.status?.attached === true) continue;
      later.after(`attach ${name}`, pace.attachMs, () => {
        const still = store.find('volumeattachments', undefined, name);
        if (still)
          store.amend('volumeattachments', still, (copy) => {
            copy.status = { attached: true };
          });
      });
      continue;
    }
    if (pod.metadata.deletionTimestamp) continue;
    const isAlone = ((volume.spec?.accessModes ?? []) as string[]).every((m) => oneNode.has(m));
    const held = store.list('volumeattachments').find((a) => volumeOf(a) === volume.metadata.name);
    if (isAlone && held) {
      const message = `Multi-Attach error for volume "${volume.metadata.name}" Volume is already exclusively attached to one node and can't be attached to another`;
      note(store, 'Pod', pod, {
        type: 'Warning',
        reason: 'FailedAttachVolume',
        message,
        by: 'attachdetach-controller',
      });
      continue;
    }
    store.create('volumeattachments', {
      metadata: { name },
      spec: {
        attacher: String((volume.spec?.csi as { driver: string }).driver),
        nodeName: node,
        source: { persistentVolumeName: volume.metadata.name },
      },
      status: { attached: false },
    });
  }
}
