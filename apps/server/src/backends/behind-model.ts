import { DataTypes, Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** A copy that is not in step, since when, and how fast it is brought up to date. */
class CopyBehindModel extends Model<InferAttributes<CopyBehindModel>, InferCreationAttributes<CopyBehindModel>> {
  declare backendId: string;
  declare volumeId: string;
  declare disk: string;
  declare node: string;
  /** As the backend has it. */
  declare state: string;
  /** Written bytes of its volume, and how much of them it has, percent. */
  declare bytes: number;
  declare percent: number;
  /** First seen so. */
  declare since: Date;
  /** It had come so far at this moment. */
  declare at: Date;
  /** Between the last two moments at which it had come further; null until there are two. */
  declare bytesPerSecond: number | null;
}

export const copiesBehind = table('copies_behind', CopyBehindModel, {
  backendId: { type: DataTypes.TEXT, primaryKey: true },
  volumeId: { type: DataTypes.TEXT, primaryKey: true },
  disk: { type: DataTypes.TEXT, primaryKey: true },
  node: { type: DataTypes.TEXT, allowNull: false },
  state: { type: DataTypes.TEXT, allowNull: false },
  bytes: { type: DataTypes.BIGINT, allowNull: false },
  percent: { type: DataTypes.DOUBLE, allowNull: false },
  since: { type: DataTypes.DATE, allowNull: false },
  at: { type: DataTypes.DATE, allowNull: false },
  bytesPerSecond: { type: DataTypes.DOUBLE },
});
