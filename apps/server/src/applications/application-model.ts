import type { CommonPoint } from '@moorage/core/applications/common-points';
import { DataTypes, Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** An owner of pods with claims, as it was reckoned last. Bytes. */
class ApplicationModel extends Model<InferAttributes<ApplicationModel>, InferCreationAttributes<ApplicationModel>> {
  declare uid: string;
  declare namespace: string;
  declare kind: string;
  declare name: string;
  /** Null where its owner is not one that we follow. */
  declare wanted: number | null;
  declare pods: number;
  declare ready: number;
  declare claims: number;
  /** What its claims ask for. */
  declare bytes: number;
  declare classes: string[];
  declare pools: string[];
  declare nodes: string[];
  declare zones: string[];
  /** Place in `copyStates`; null where no backend tells of copies. */
  declare worst: number | null;
  declare points: Pick<CommonPoint, 'level' | 'name' | 'of' | 'leaves'>[];
  declare createdAt: Date;
}

// one of its own for each column: an attribute is given its column's name
const names = () => ({ type: DataTypes.ARRAY(DataTypes.TEXT), allowNull: false });
const count = () => ({ type: DataTypes.INTEGER, allowNull: false });

export const applications = table('applications', ApplicationModel, {
  uid: { type: DataTypes.TEXT, primaryKey: true },
  namespace: { type: DataTypes.TEXT, allowNull: false },
  kind: { type: DataTypes.TEXT, allowNull: false },
  name: { type: DataTypes.TEXT, allowNull: false },
  wanted: { type: DataTypes.INTEGER },
  pods: count(),
  ready: count(),
  claims: count(),
  bytes: { type: DataTypes.BIGINT, allowNull: false },
  classes: names(),
  pools: names(),
  nodes: names(),
  zones: names(),
  worst: { type: DataTypes.INTEGER },
  points: { type: DataTypes.JSONB, allowNull: false, defaultValue: [] },
  createdAt: { type: DataTypes.DATE, allowNull: false },
});

/** What changed that applications hang on. */
class DueModel extends Model<InferAttributes<DueModel>, InferCreationAttributes<DueModel>> {
  declare id: number;
  declare what: 'owner' | 'claim' | 'held' | 'volume' | 'node';
  declare space: string;
  declare name: string;
}

export const applicationsDue = table('applications_due', DueModel, {
  id: { type: DataTypes.BIGINT, primaryKey: true, autoIncrement: true },
  what: { type: DataTypes.TEXT, allowNull: false },
  space: { type: DataTypes.TEXT, allowNull: false, defaultValue: '' },
  name: { type: DataTypes.TEXT, allowNull: false },
});
