import type { Tier } from '@moorage/contract/backends';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** What a month costs, from a moment on. */
class RateModel extends Model<InferAttributes<RateModel>, InferCreationAttributes<RateModel>> {
  declare tier: Tier;
  declare fromAt: Date;
  /** Millionths of the currency. */
  declare microsPerGib: number;
  declare microsPerIops: number;
  declare person: string;
}

export const rates = table('rates', RateModel, {
  tier: { type: DataTypes.TEXT, primaryKey: true },
  fromAt: { type: DataTypes.DATE, primaryKey: true },
  microsPerGib: { type: DataTypes.BIGINT, allowNull: false, validate: { min: 0 } },
  microsPerIops: { type: DataTypes.BIGINT, allowNull: false, validate: { min: 0 } },
  person: { type: DataTypes.TEXT, allowNull: false },
});

/** The tier of a pool, or the team of a namespace, from when until when. */
class HeldAsModel extends Model<InferAttributes<HeldAsModel>, InferCreationAttributes<HeldAsModel>> {
  declare id: CreationOptional<number>;
  declare kind: 'tier' | 'team';
  declare name: string;
  declare value: string;
  declare fromAt: Date;
  declare untilAt: Date | null;
}

/** Written by a statement. @public every table has its model */
export const heldAs = table('held_as', HeldAsModel, {
  id: { type: DataTypes.BIGINT, primaryKey: true, autoIncrement: true },
  kind: { type: DataTypes.TEXT, allowNull: false },
  name: { type: DataTypes.TEXT, allowNull: false },
  value: { type: DataTypes.TEXT, allowNull: false },
  fromAt: { type: DataTypes.DATE, allowNull: false },
  untilAt: { type: DataTypes.DATE },
});
