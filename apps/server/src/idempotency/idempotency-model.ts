import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** A call that came with a key, and its answer once there is one. */
class KeyModel extends Model<InferAttributes<KeyModel>, InferCreationAttributes<KeyModel>> {
  declare key: string;
  declare person: string;
  declare status: number | null;
  declare body: unknown;
  declare createdAt: CreationOptional<Date>;
  /** What was asked, as a keyed digest alone. */
  declare digest: string;
  /** The lease of the server that works on it. */
  declare runner: number | null;
}

export const keys = table('idempotency', KeyModel, {
  key: { type: DataTypes.TEXT, primaryKey: true },
  person: { type: DataTypes.TEXT, primaryKey: true },
  status: { type: DataTypes.INTEGER },
  body: { type: DataTypes.JSONB },
  createdAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
  digest: { type: DataTypes.TEXT, allowNull: false },
  runner: { type: DataTypes.INTEGER },
});
