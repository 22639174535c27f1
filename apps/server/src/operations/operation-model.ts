import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';
import type { Operation, OperationError, OperationState } from './operation';

/** Something that takes time, and where it stands. */
class OperationModel extends Model<InferAttributes<OperationModel>, InferCreationAttributes<OperationModel>> {
  declare id: CreationOptional<string>;
  declare kind: Operation['kind'];
  declare subject: string;
  declare state: OperationState;
  declare waitingFor: string | null;
  declare decisionId: number | null;
  declare attempts: CreationOptional<number>;
  declare error: OperationError | null;
  declare nextAttemptAt: Date | null;
  /** The lease of the server that works on it. */
  declare runner: number | null;
  /** Somebody asked for another look while it was being worked on. */
  declare again: CreationOptional<boolean>;
  declare createdAt: CreationOptional<Date>;
  declare updatedAt: CreationOptional<Date>;
}

export const operations = table('operations', OperationModel, {
  id: { type: DataTypes.UUID, primaryKey: true, defaultValue: DataTypes.UUIDV4 },
  kind: { type: DataTypes.TEXT, allowNull: false },
  subject: { type: DataTypes.TEXT, allowNull: false },
  state: { type: DataTypes.TEXT, allowNull: false },
  waitingFor: { type: DataTypes.TEXT },
  decisionId: { type: DataTypes.BIGINT },
  attempts: { type: DataTypes.INTEGER, allowNull: false, defaultValue: 0 },
  error: { type: DataTypes.JSONB },
  nextAttemptAt: { type: DataTypes.DATE },
  runner: { type: DataTypes.INTEGER },
  again: { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: false },
  createdAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
  updatedAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
});
