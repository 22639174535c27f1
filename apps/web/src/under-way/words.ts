import type { OperationAct, OperationRow } from '@moorage/contract/operations';
import { sizeText } from '@moorage/core/sizes/display';
import type { MarkKind } from '../marks/Mark';
import { durationText } from '../clusters/words';

export const actWords: Record<OperationAct, string> = {
  pause: 'Pause',
  resume: 'Go on',
  retry: 'Try now',
  cancel: 'Take back',
};

/** What is told once an act was done. */
export const doneWords: Record<OperationAct, string> = {
  pause: 'is paused after the step it is at.',
  resume: 'goes on.',
  retry: 'is tried again now.',
  cancel: 'is being taken back.',
};

export function markOf({ status, isUndone }: OperationRow): MarkKind {
  switch (status) {
    case 'running':
      return isUndone ? 'degraded' : 'progress';
    case 'retrying':
      return 'degraded';
    case 'waiting':
    case 'paused':
      return 'waiting';
    case 'refused':
      return 'person';
    case 'ended':
      return isUndone ? 'lost' : 'settled';
  }
}

export function statusWords({ status, words, stoppedBy }: OperationRow): string {
  switch (status) {
    case 'paused':
      return `paused${stoppedBy ? ` by ${stoppedBy}` : ''}`;
    case 'refused':
      return 'refused; waits for you';
    case 'retrying':
      return 'failed; is tried again';
    default:
      return words;
  }
}

/** How far it is: "3 of 5 steps", "1.2 TiB of 2 TiB to move, about 4 min left". */
export function progressWords({ progress }: OperationRow): string | undefined {
  if (!progress || progress.total === 0) return undefined;
  const { total, remaining, unit, etaSeconds } = progress;
  if (unit === 'steps') return `${total - remaining} of ${total} ${total === 1 ? 'step' : 'steps'}`;
  const left = etaSeconds !== null && remaining > 0 ? `, about ${durationText(etaSeconds)} left` : '';
  return `${sizeText(remaining)} of ${sizeText(total)} to move${left}`;
}

/** Where its subject is shown, if anywhere. */
export function pathOf({ kind, about }: OperationRow): string | undefined {
  switch (kind) {
    case 'bind':
    case 'grow':
    case 'tune':
    case 'copies':
    case 'salvage':
    case 'shift':
      return `/claims/${about}`;
    case 'reshape':
      return `/backends/${about.split('/')[0]}`;
    case 'class':
      return about.includes(',') ? '/classes' : `/classes/${about}`;
    case 'application':
      return `/apps/${about}`;
    case 'drain':
      return `/apps/nodes?node=${encodeURIComponent(about)}`;
    case 'give-back':
      return `/backends?pool=${about.slice(0, about.lastIndexOf('/'))}`;
    case 'draft':
      return '/moorings';
    case 'successor':
      return '/classes';
    default:
      return undefined;
  }
}
