import { engineering } from '@moorage/contract/endpoints/endpoint';
import type { ReshapeState } from '@moorage/contract/reshapes';
import type { Kind } from '../operations/kind';

/** A change to the disks of a cluster, a node at a time. Which disks it holds stands in `disk_holds`. */
export const reshaping: Kind<ReshapeState> = {
  kind: 'reshape',
  title: 'Changing disks',
  begins: 'preparing',
  holds: 'reshape',
  undo: 'undoing',
  mostTries: 6,
  steered: engineering,
  states: {
    preparing: { words: 'makes the pool ready', to: ['taking', 'undoing', 'undone'] },
    // one node after the other
    taking: { words: 'takes disks, node by node', to: ['taking', 'giving', 'undoing', 'undone'] },
    giving: { words: 'takes disks out', to: ['settling', 'undoing', 'undone'] },
    settling: { words: 'data is moving', to: ['settled', 'undoing', 'undone'] },
    settled: { words: 'done', to: [], stays: 'end' },
    undoing: { words: 'gives everything back', to: ['undone'] },
    undone: { words: 'called off, everything given back', to: [], stays: 'end' },
  },
};
