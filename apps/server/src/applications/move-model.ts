import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import type { Written } from '@moorage/core/applications/written';
import { table } from '../database/table';

/** A pod of a set that ended and is to come back, with when each step of its way was seen. */
class MoveModel extends Model<InferAttributes<MoveModel>, InferCreationAttributes<MoveModel>> {
  declare id: CreationOptional<number>;
  /** Uid of the set. */
  declare owner: string;
  declare namespace: string;
  declare pod: string;
  /** Its claims' volumes, as the platform names them. */
  declare volumes: string[];
  /** Of its first claim. */
  declare className: string | null;
  declare backendId: string | null;
  /** The pod that ended, and the one in its place. */
  declare leftUid: string;
  declare cameUid: string | null;
  declare fromNode: string;
  declare toNode: string | null;
  /** Told to end. */
  declare endedAt: Date;
  declare goneAt: Date | null;
  /** The last of its volumes was taken from the node that it left; null when it stayed there. */
  declare detachedAt: Date | null;
  declare placedAt: Date | null;
  declare attachedAt: Date | null;
  declare readyAt: Date | null;
  /** What the pods told of what their volumes hold, by claim: before, and once one was back. */
  declare leftData: Record<string, Written[]> | null;
  declare cameData: Record<string, Written[]> | null;
}

const time = () => ({ type: DataTypes.DATE });

export const moves = table('moves', MoveModel, {
  id: { type: DataTypes.BIGINT, primaryKey: true, autoIncrement: true },
  owner: { type: DataTypes.TEXT, allowNull: false },
  namespace: { type: DataTypes.TEXT, allowNull: false },
  pod: { type: DataTypes.TEXT, allowNull: false },
  volumes: { type: DataTypes.ARRAY(DataTypes.TEXT), allowNull: false },
  className: { type: DataTypes.TEXT },
  backendId: { type: DataTypes.TEXT },
  leftUid: { type: DataTypes.TEXT, allowNull: false },
  cameUid: { type: DataTypes.TEXT },
  fromNode: { type: DataTypes.TEXT, allowNull: false },
  toNode: { type: DataTypes.TEXT },
  endedAt: { type: DataTypes.DATE, allowNull: false },
  goneAt: time(),
  detachedAt: time(),
  placedAt: time(),
  attachedAt: time(),
  readyAt: time(),
  leftData: { type: DataTypes.JSONB },
  cameData: { type: DataTypes.JSONB },
});

export type MoveRow = InferAttributes<MoveModel>;
