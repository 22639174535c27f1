import {
  DataTypes,
  Model,
  Op,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
} from 'sequelize';
import { table } from '../database/table';
import type { OperationError, Stopped } from './operation';

/** Something that takes time, and where it stands. */
export class StoredOperation extends Model<InferAttributes<StoredOperation>, InferCreationAttributes<StoredOperation>> {
  declare id: CreationOptional<string>;
  declare kind: string;
  declare subject: string;
  /** The subject as a person knows it: the namespace and name of a claim, a pool, a class. */
  declare about: CreationOptional<string>;
  /** Whose it is, for those who see their namespaces alone. */
  declare namespace: CreationOptional<string | null>;
  /** Who began it; null when nobody did. */
  declare person: CreationOptional<string | null>;
  declare state: string;
  /** What it holds of its subject; null when it holds nothing any more. */
  declare holds: string | null;
  /** Something from outside wakes it, no clock does. */
  declare resting: CreationOptional<boolean>;
  declare endedAt: CreationOptional<Date | null>;
  declare stopped: CreationOptional<Stopped | null>;
  declare stoppedBy: CreationOptional<string | null>;
  declare cancelledBy: CreationOptional<string | null>;
  /** Why it is being undone, or was. */
  declare cause: CreationOptional<string | null>;
  declare waitingFor: CreationOptional<string | null>;
  declare decisionId: CreationOptional<number | null>;
  declare attempts: CreationOptional<number>;
  declare error: CreationOptional<OperationError | null>;
  declare nextAttemptAt: CreationOptional<Date | null>;
  /** How much there is to do in all and still, in `unit`; null when that is not known. */
  declare total: CreationOptional<number | null>;
  declare remaining: CreationOptional<number | null>;
  declare unit: CreationOptional<'bytes' | 'steps' | null>;
  /** Since when `remaining` has gone down, for the estimate. */
  declare movedSince: CreationOptional<Date | null>;
  /** The lease of the server that works on it. */
  declare runner: CreationOptional<number | null>;
  /** Somebody asked for another look while it was being worked on. */
  declare again: CreationOptional<boolean>;
  /** When it came to each of its states after the first, in their order; times as text. */
  declare steps: CreationOptional<{ state: string; at: string }[]>;
  declare createdAt: CreationOptional<Date>;
  declare updatedAt: CreationOptional<Date>;
}

export const operations = table(
  'operations',
  StoredOperation,
  {
    id: { type: DataTypes.UUID, primaryKey: true, defaultValue: DataTypes.UUIDV4 },
    kind: { type: DataTypes.TEXT, allowNull: false },
    subject: { type: DataTypes.TEXT, allowNull: false },
    about: { type: DataTypes.TEXT, allowNull: false, defaultValue: '' },
    namespace: { type: DataTypes.TEXT },
    person: { type: DataTypes.TEXT },
    state: { type: DataTypes.TEXT, allowNull: false },
    holds: { type: DataTypes.TEXT },
    resting: { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: false },
    endedAt: { type: DataTypes.DATE },
    stopped: { type: DataTypes.TEXT, validate: { isIn: [['paused', 'refused']] } },
    stoppedBy: { type: DataTypes.TEXT },
    cancelledBy: { type: DataTypes.TEXT },
    cause: { type: DataTypes.TEXT },
    waitingFor: { type: DataTypes.TEXT },
    decisionId: { type: DataTypes.BIGINT },
    attempts: { type: DataTypes.INTEGER, allowNull: false, defaultValue: 0 },
    error: { type: DataTypes.JSONB },
    nextAttemptAt: { type: DataTypes.DATE },
    total: { type: DataTypes.BIGINT },
    remaining: { type: DataTypes.BIGINT },
    unit: { type: DataTypes.TEXT, validate: { isIn: [['bytes', 'steps']] } },
    movedSince: { type: DataTypes.DATE },
    runner: { type: DataTypes.INTEGER },
    again: { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: false },
    steps: { type: DataTypes.JSONB, allowNull: false, defaultValue: [] },
    createdAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
    updatedAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
  },
  {
    scopes: {
      open: { where: { endedAt: null } },
      /** Carried by the clock: neither finished nor waiting for something from outside. */
      underWay: { where: { endedAt: null, resting: false } },
      stopped: { where: { endedAt: null, stopped: { [Op.not]: null } } },
      ended: { where: { endedAt: { [Op.not]: null } } },
    },
  },
);
