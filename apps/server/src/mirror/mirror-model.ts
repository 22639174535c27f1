import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';
import type { PlatformObject, Plural } from '../platform/connector';

/** An object of the platform as last seen; the columns beside `body` are what is filtered by. */
class PlatformObjectModel extends Model<
  InferAttributes<PlatformObjectModel>,
  InferCreationAttributes<PlatformObjectModel>
> {
  declare plural: Plural;
  declare uid: string;
  declare namespace: string;
  declare name: string;
  /** Opaque: equal or not. */
  declare version: string;
  declare body: PlatformObject;
  declare className: string | null;
  declare phase: string | null;
  declare sizeBytes: number | null;
  declare createdAt: Date;
  /** It is being deleted; kept by the database itself. */
  declare deleting: CreationOptional<boolean>;
  /** Of what it says, so that a list can be compared with what is known; null until it was written with one. */
  declare digest: CreationOptional<string | null>;
  /** When it was first written here, by the database's clock. */
  declare notedAt: CreationOptional<Date>;
}

export const platformObjects = table('platform_objects', PlatformObjectModel, {
  plural: { type: DataTypes.TEXT, primaryKey: true },
  uid: { type: DataTypes.TEXT, primaryKey: true },
  namespace: { type: DataTypes.TEXT, allowNull: false, defaultValue: '' },
  name: { type: DataTypes.TEXT, allowNull: false },
  version: { type: DataTypes.TEXT, allowNull: false },
  body: { type: DataTypes.JSONB, allowNull: false },
  className: { type: DataTypes.TEXT },
  phase: { type: DataTypes.TEXT },
  sizeBytes: { type: DataTypes.BIGINT },
  createdAt: { type: DataTypes.DATE, allowNull: false },
  deleting: { type: DataTypes.BOOLEAN },
  digest: { type: DataTypes.TEXT },
  notedAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
});

/** How far the mirror has read one kind of object. */
class MirrorStateModel extends Model<InferAttributes<MirrorStateModel>, InferCreationAttributes<MirrorStateModel>> {
  declare plural: Plural;
  declare version: string;
  declare listedAt: CreationOptional<Date>;
  declare seenAt: CreationOptional<Date>;
}

export const mirrorStates = table('mirror_state', MirrorStateModel, {
  plural: { type: DataTypes.TEXT, primaryKey: true },
  version: { type: DataTypes.TEXT, allowNull: false },
  listedAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
  seenAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
});
