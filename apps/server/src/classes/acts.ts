import type { ClassRow } from '@moorage/contract/classes';
import type { ClassPlan, StandingClass } from '@moorage/core/classes/class-steps';
import type { ActRoom, PlannedAct } from '../acts/acts';
import { Op } from 'sequelize';
import { actKind } from '../acts/kind';
import type { Database } from '../database/database';
import { moorings } from '../moorings/mooring-model';
import { classAccess, grants } from './access-model';
import { successions } from './succession-model';

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

/** Deletions of classes: with the class on the platform goes everything here that goes by its name. */
export const removingClass = (database: Database): ActRoom<Inside, null> => ({
  kind: actKind('class-removal', 'Deleting a class'),
  write: async ({ inside: { classes } }) => {
    const ofClass = { where: { className: [...classes] } };
    await moorings.in(database).destroy(ofClass);
    await grants.in(database).destroy(ofClass);
    await classAccess.in(database).destroy(ofClass);
    await successions
      .in(database)
      .destroy({ where: { [Op.or]: [{ fromClass: [...classes] }, { toClass: [...classes] }] } });
    return null;
  },
  tells: ({ classes }) => [
    ...classes.map((subject) => ({ topic: 'classes' as const, subject })),
    { topic: 'moorings' },
  ],
});

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
