import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';
import type { Change } from './change';

/** Who changed what, from what to what. */
class LogbookModel extends Model<InferAttributes<LogbookModel>, InferCreationAttributes<LogbookModel>> {
  declare id: CreationOptional<number>;
  declare at: CreationOptional<Date>;
  declare person: string;
  declare action: Change['action'];
  declare kind: Change['kind'];
  declare subject: string;
  declare before: unknown;
  declare after: unknown;
}

export const logbook = table('logbook', LogbookModel, {
  id: { type: DataTypes.BIGINT, primaryKey: true, autoIncrement: true },
  at: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
  person: { type: DataTypes.TEXT, allowNull: false },
  action: { type: DataTypes.TEXT, allowNull: false },
  kind: { type: DataTypes.TEXT, allowNull: false },
  subject: { type: DataTypes.TEXT, allowNull: false },
  before: { type: DataTypes.JSONB },
  after: { type: DataTypes.JSONB },
});
