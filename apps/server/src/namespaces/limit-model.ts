import { DataTypes, Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** Bytes that may be provisioned in a namespace, in all or in one class. */
class LimitModel extends Model<InferAttributes<LimitModel>, InferCreationAttributes<LimitModel>> {
  declare namespace: string;
  /** Empty for the namespace as a whole. */
  declare className: string;
  declare bytes: number;
}

export const limits = table('limits', LimitModel, {
  namespace: { type: DataTypes.TEXT, primaryKey: true },
  className: { type: DataTypes.TEXT, primaryKey: true, defaultValue: '' },
  bytes: { type: DataTypes.BIGINT, allowNull: false, validate: { min: 0 } },
});
