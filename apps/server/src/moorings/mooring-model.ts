import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** A class may use a pool. */
export class Mooring extends Model<InferAttributes<Mooring>, InferCreationAttributes<Mooring>> {
  declare className: string;
  declare poolId: string;
  declare enabled: CreationOptional<boolean>;
  /** Place in the order of the class's pools, from 1. */
  declare rank: number;
  declare weight: CreationOptional<number>;
  declare version: CreationOptional<number>;
}

export const moorings = table('moorings', Mooring, {
  className: { type: DataTypes.TEXT, primaryKey: true },
  poolId: { type: DataTypes.TEXT, primaryKey: true },
  enabled: { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: true },
  rank: { type: DataTypes.INTEGER, allowNull: false },
  weight: { type: DataTypes.DOUBLE, allowNull: false, defaultValue: 1 },
  version: { type: DataTypes.INTEGER, allowNull: false, defaultValue: 1 },
});
