import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** The pool that a plan for many claims chose for a claim that is still to come. */
class PlannedPlaceModel extends Model<InferAttributes<PlannedPlaceModel>, InferCreationAttributes<PlannedPlaceModel>> {
  declare namespace: string;
  declare claimName: string;
  declare poolId: string;
  /** Disks of its copies there, a witness last. */
  declare disks: CreationOptional<string[]>;
  declare person: string;
  declare at: CreationOptional<Date>;
  /** Places that were kept together. */
  declare plan: string;
  declare className: CreationOptional<string>;
  /** What it takes of its pool, where it is held against others: bytes, IOPS and bytes per second. */
  declare bytes: CreationOptional<number>;
  declare rawBytes: CreationOptional<number>;
  declare backendIops: CreationOptional<number>;
  declare backendThroughput: CreationOptional<number>;
  /** Of the disks, the first so many hold data. */
  declare copies: CreationOptional<number>;
  /** Null where nothing is held. */
  declare heldUntil: Date | null;
}

export const plannedPlaces = table('planned_places', PlannedPlaceModel, {
  namespace: { type: DataTypes.TEXT, primaryKey: true },
  claimName: { type: DataTypes.TEXT, primaryKey: true },
  poolId: { type: DataTypes.TEXT, allowNull: false },
  disks: { type: DataTypes.ARRAY(DataTypes.TEXT), allowNull: false, defaultValue: [] },
  person: { type: DataTypes.TEXT, allowNull: false },
  at: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
  plan: { type: DataTypes.TEXT, allowNull: false },
  className: { type: DataTypes.TEXT, allowNull: false, defaultValue: '' },
  bytes: { type: DataTypes.BIGINT, allowNull: false, defaultValue: 0 },
  rawBytes: { type: DataTypes.BIGINT, allowNull: false, defaultValue: 0 },
  backendIops: { type: DataTypes.DOUBLE, allowNull: false, defaultValue: 0 },
  backendThroughput: { type: DataTypes.DOUBLE, allowNull: false, defaultValue: 0 },
  copies: { type: DataTypes.INTEGER, allowNull: false, defaultValue: 0 },
  heldUntil: { type: DataTypes.DATE },
});
