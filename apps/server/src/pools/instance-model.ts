import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** A part of a pool that was bought of it as one, and that shares are carved out of. Bytes. */
class InstanceModel extends Model<InferAttributes<InstanceModel>, InferCreationAttributes<InstanceModel>> {
  declare poolId: string;
  declare id: string;
  /** What it is to be sold as at least. */
  declare bytes: number;
  // kept by a trigger on reservations
  declare used: CreationOptional<number>;
  /** As the backend gave it, once it was bought. */
  declare path: CreationOptional<string | null>;
  /** It is to be given back: nothing more is carved out of it. */
  declare leaving: CreationOptional<boolean>;
  declare createdAt: CreationOptional<Date>;
}

export const instances = table('instances', InstanceModel, {
  poolId: { type: DataTypes.TEXT, primaryKey: true },
  id: { type: DataTypes.TEXT, primaryKey: true },
  bytes: { type: DataTypes.BIGINT, allowNull: false },
  used: { type: DataTypes.BIGINT, allowNull: false, defaultValue: 0 },
  path: { type: DataTypes.TEXT },
  leaving: { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: false },
  createdAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
});
