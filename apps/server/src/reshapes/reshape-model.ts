import type { NewReshape, Reshape } from '@moorage/contract/reshapes';
import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** A change to the disks of a cluster; its state is its operation's. */
export class StoredReshape extends Model<InferAttributes<StoredReshape>, InferCreationAttributes<StoredReshape>> {
  declare id: string;
  declare backendId: string;
  declare pool: string;
  declare kind: Reshape['kind'];
  declare plan: NewReshape;
  declare person: string;
  declare createdAt: CreationOptional<Date>;
  declare endedAt: Date | null;
}

export const reshapes = table('reshapes', StoredReshape, {
  id: { type: DataTypes.UUID, primaryKey: true },
  backendId: { type: DataTypes.TEXT, allowNull: false },
  pool: { type: DataTypes.TEXT, allowNull: false },
  kind: { type: DataTypes.TEXT, allowNull: false },
  plan: { type: DataTypes.JSONB, allowNull: false },
  person: { type: DataTypes.TEXT, allowNull: false },
  createdAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
  endedAt: { type: DataTypes.DATE },
});

/** The disks of one node that a change takes or gives. */
export class ReshapeNode extends Model<InferAttributes<ReshapeNode>, InferCreationAttributes<ReshapeNode>> {
  declare reshapeId: string;
  declare node: string;
  declare role: 'data' | 'metadata' | 'leaving';
  declare disks: string[];
  declare state: CreationOptional<'waiting' | 'taken' | 'given' | 'freed'>;
}

export const reshapeNodes = table('reshape_nodes', ReshapeNode, {
  reshapeId: { type: DataTypes.UUID, primaryKey: true },
  node: { type: DataTypes.TEXT, primaryKey: true },
  role: { type: DataTypes.TEXT, primaryKey: true },
  disks: { type: DataTypes.ARRAY(DataTypes.TEXT), allowNull: false },
  state: { type: DataTypes.TEXT, allowNull: false, defaultValue: 'waiting' },
});

/** A disk is in one unfinished change at most. */
class DiskHoldModel extends Model<InferAttributes<DiskHoldModel>, InferCreationAttributes<DiskHoldModel>> {
  declare backendId: string;
  declare disk: string;
  declare reshapeId: string;
}

export const diskHolds = table('disk_holds', DiskHoldModel, {
  backendId: { type: DataTypes.TEXT, primaryKey: true },
  disk: { type: DataTypes.TEXT, primaryKey: true },
  reshapeId: { type: DataTypes.UUID, allowNull: false },
});
