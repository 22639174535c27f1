import type { PlatformStep } from '@moorage/core/acts/platform-step';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';
import type { Change } from '../logbook/change';
import type { StoredProblem } from './problem';

/** What is written down of an act; who did it stands in the act. */
export type Entry = Omit<Change, 'person'>;

/** An act across two worlds; where it stands says its operation, whose subject it is. */
export class StoredAct extends Model<InferAttributes<StoredAct>, InferCreationAttributes<StoredAct>> {
  declare id: string;
  declare kind: string;
  declare person: string;
  /** What is written here once the platform has done its part: the room of the act knows what it means. */
  declare inside: unknown;
  /** What the logbook is told when all of it stands. */
  declare entries: Entry[];
  declare outcome: CreationOptional<unknown>;
  /** Why it was taken back, or has stopped. */
  declare problem: CreationOptional<StoredProblem | null>;
  declare createdAt: CreationOptional<Date>;
}

export const acts = table('acts', StoredAct, {
  id: { type: DataTypes.UUID, primaryKey: true },
  kind: { type: DataTypes.TEXT, allowNull: false },
  person: { type: DataTypes.TEXT, allowNull: false },
  inside: { type: DataTypes.JSONB },
  entries: { type: DataTypes.JSONB, allowNull: false },
  outcome: { type: DataTypes.JSONB },
  problem: { type: DataTypes.JSONB },
  createdAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
});

/** One thing that an act asks of the platform. */
export class ActStep extends Model<InferAttributes<ActStep>, InferCreationAttributes<ActStep>> {
  declare actId: string;
  declare number: number;
  declare step: PlatformStep;
  /** What the logbook is told as soon as this step stands; null where it is told of the whole. */
  declare entry: Entry | null;
  /** `asked`: the platform was, or may have been, asked and its answer is not known. */
  declare state: CreationOptional<'waiting' | 'asked' | 'done' | 'undone'>;
  /** Of the object that was made. */
  declare uid: CreationOptional<string | null>;
}

export const actSteps = table('act_steps', ActStep, {
  actId: { type: DataTypes.UUID, primaryKey: true },
  number: { type: DataTypes.INTEGER, primaryKey: true },
  step: { type: DataTypes.JSONB, allowNull: false },
  entry: { type: DataTypes.JSONB },
  state: {
    type: DataTypes.TEXT,
    allowNull: false,
    defaultValue: 'waiting',
    validate: { isIn: [['waiting', 'asked', 'done', 'undone']] },
  },
  uid: { type: DataTypes.TEXT },
});

/** A thing is in one unfinished act at most. */
class ActHoldModel extends Model<InferAttributes<ActHoldModel>, InferCreationAttributes<ActHoldModel>> {
  declare thing: string;
  declare actId: string;
}

export const actHolds = table('act_holds', ActHoldModel, {
  thing: { type: DataTypes.TEXT, primaryKey: true },
  actId: { type: DataTypes.UUID, allowNull: false },
});
