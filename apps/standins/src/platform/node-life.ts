import { isAttached, outOfService, volumesFor } from './attach';
import { isOver, isReady, staysFor, taintsOf, tolerates, unreachable } from './fit';
import type { Later, Pace } from './pace';
import type { Processes } from './processes';
import type { KubeObject, Store } from './store';

const stamp = () => new Date().toISOString().replace(/\.\d+Z$/, 'Z');

/** Tells a pod that runs, or would, to end; one that was never placed is gone at once. */
export function endPod(store: Store, pod: KubeObject): void {
  const { namespace, name } = pod.metadata;
  if (pod.spec?.nodeName) store.terminate('pods', namespace, name);
  else store.delete('pods', namespace, name);
}

/** The nodes of the platform as machines: which of them live, and what their agents and those who watch over them do. */
export class NodeLife {
  private readonly dead = new Set<string>();

  constructor(
    private readonly store: Store,
    private readonly later: Later,
    private readonly pace: Pace,
    private readonly processes: Processes,
    private readonly wake: () => void,
  ) {}

  /** A machine goes off, or comes back: nobody is told, it is only not heard of any more. */
  setNode(name: string, up: boolean): void {
    this.store.get('nodes', undefined, name);
    if (up) this.dead.delete(name);
    else {
      this.dead.add(name);
      this.processes.kill((pod) => pod.spec?.nodeName === name);
    }
    this.wake();
  }

  /** One look at all nodes and the pods on them. */
  turn(): void {
    for (const node of this.store.list('nodes')) this.watchNode(node);
    for (const pod of this.store.list('pods')) if (pod.spec?.nodeName) this.carry(pod);
  }

  private watchNode(node: KubeObject): void {
    const { name } = node.metadata;
    const isDead = this.dead.has(name);
    if (!isDead) {
      this.later.forget(`grace ${name}`);
      if (!taintsOf(node).some((t) => t.key === unreachable)) return;
      for (const pod of this.store.list('pods'))
        if (pod.spec?.nodeName === name) this.later.forget(`evict ${pod.metadata.uid}`);
      this.markNode(node, 'True');
      return;
    }
    if (isReady(node)) this.later.after(`grace ${name}`, this.pace.graceMs, () => this.lose(name));
    else this.giveUp(name);
  }

  private lose(name: string): void {
    const node = this.store.find('nodes', undefined, name);
    if (!node || !this.dead.has(name)) return;
    this.markNode(node, 'Unknown');
    // nobody can say any more that its pods are ready
    for (const pod of this.store.list('pods').filter((p) => p.spec?.nodeName === name))
      this.store.amend('pods', pod, (copy) => {
        copy.status!.conditions = (copy.status?.conditions ?? []).map((c) =>
          c.type === 'Ready' ? { ...c, status: 'False', reason: 'NodeNotReady' } : c,
        );
      });
  }

  private markNode(node: KubeObject, status: 'True' | 'Unknown'): void {
    this.store.amend('nodes', node, (copy) => {
      const others = (copy.status?.conditions ?? []).filter((c) => c.type !== 'Ready');
      const condition = {
        ...{ type: 'Ready', status, lastTransitionTime: stamp() },
        ...(status === 'Unknown' && { reason: 'NodeStatusUnknown', message: 'Kubelet stopped posting node status.' }),
      };
      copy.status = { ...copy.status, conditions: [...others, condition] };
      const taints = taintsOf(copy).filter((t) => t.key !== unreachable);
      copy.spec!.taints =
        status === 'True'
          ? taints
          : [
              ...taints,
              ...['NoSchedule', 'NoExecute'].map((effect) => ({ key: unreachable, effect, timeAdded: stamp() })),
            ];
    });
  }

  /** Pods on a node that is not heard of are told to end once they have stayed as long as they endure it; without it, none of them can. */
  private giveUp(name: string): void {
    for (const { spec, metadata } of this.store.list('pods')) {
      if (spec?.nodeName !== name || metadata.deletionTimestamp) continue;
      const seconds = staysFor({ metadata, spec });
      if (seconds === Infinity) continue;
      // what the platform gives to all of them is as long as its pace has it
      const ms = seconds === this.store.tolerationSeconds ? this.pace.evictMs : seconds * 1000;
      this.later.after(`evict ${metadata.uid}`, ms, () => {
        const now = this.store.find('pods', metadata.namespace, metadata.name);
        if (this.dead.has(name) && now?.metadata.uid === metadata.uid)
          this.store.terminate('pods', metadata.namespace, metadata.name);
      });
    }
  }

  /** What the agent of its node does for a pod, and what is done past it on a node declared out of service. */
  private carry(pod: KubeObject): void {
    const { namespace, name, uid } = pod.metadata;
    const node = this.store.find('nodes', undefined, String(pod.spec!.nodeName));
    const there = () => {
      const now = this.store.find('pods', namespace, name);
      return now?.metadata.uid === uid ? now : undefined;
    };
    const taint = node && taintsOf(node).find((t) => t.key === outOfService);
    if (!node || (taint && !isReady(node) && !tolerates(pod, taint))) {
      // its machine is gone, or known to be off: nothing there can write any more
      this.store.purge('pods', structuredClone(pod));
      return;
    }
    if (this.dead.has(node.metadata.name)) return;
    if (pod.metadata.deletionTimestamp) {
      if (!this.processes.hasEnded(pod)) return;
      this.later.after(`stop ${uid}`, this.pace.stopMs, () => {
        const now = there();
        if (now && !this.dead.has(String(now.spec!.nodeName)) && !now.metadata.finalizers?.length)
          this.store.purge('pods', structuredClone(now));
      });
      return;
    }
    if (isOver(pod)) return;
    const isRunning = pod.status?.phase === 'Running';
    if (isRunning && pod.status?.conditions?.some((c) => c.type === 'Ready' && c.status === 'True')) {
      // its machine was off so shortly that nobody noticed
      this.processes.isOpen(pod);
      return;
    }
    if (!volumesFor(this.store, pod).every((v) => isAttached(this.store, v, node.metadata.name))) return;
    this.later.after(`start ${uid}`, isRunning ? 0 : this.pace.startMs, () => {
      const now = there();
      if (!now || now.metadata.deletionTimestamp || this.dead.has(node.metadata.name)) return;
      const isOpen = this.processes.isOpen(now);
      if (isRunning && !isOpen) return;
      this.store.amend('pods', now, (copy) => {
        const conditions = ['PodScheduled', 'Initialized', 'ContainersReady', 'Ready'].map((type, i) => ({
          ...{ type, status: isOpen || i < 2 ? 'True' : 'False', lastTransitionTime: stamp() },
        }));
        copy.status = { ...copy.status, phase: 'Running', startTime: copy.status?.startTime ?? stamp(), conditions };
      });
    });
  }
}
