import type { ClassRow } from '@moorage/contract/classes';
import type { ClassPlan, StandingClass } from '@moorage/core/classes/class-steps';
import type { ActRoom, PlannedAct } from '../acts/acts';
import { actKind } from '../acts/kind';

/** What two people who change the default must take turns at. */
export const defaultTurn = 'the default class';
export const classTurn = (name: string): string => `class ${name}`;

interface Inside {
  readonly classes: readonly string[];
}

/** Changes of classes that stand by themselves: made, changed, made the default. Nothing of ours is written but the logbook. */
export const changingClass: ActRoom<Inside, null> = {
  kind: actKind('class', 'Changing a class'),
  write: () => Promise.resolve(null),
  tells: ({ classes }) => classes.map((subject) => ({ topic: 'classes', subject })),
};

/** A plan of the core as an act; nothing when it asks for nothing. */
export const classAct = ({ steps, entries }: ClassPlan): PlannedAct<Inside> | undefined =>
  steps.length === 0
    ? undefined
    : {
        about: entries.map((e) => e.subject).join(', '),
        steps: steps.map((step) => ({ step })),
        inside: { classes: entries.map((e) => e.subject) },
        entries,
      };

/** A class that is listed, as plans see it. */
export const standing = ({ storageClass, isDefault, manifest }: ClassRow): StandingClass => ({
  storageClass,
  isDefault,
  manifest: manifest as StandingClass['manifest'],
});
