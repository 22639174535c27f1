import { DataTypes, Model, type CreationOptional, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** What a program reads with; only a digest of it is kept. */
class TokenModel extends Model<InferAttributes<TokenModel>, InferCreationAttributes<TokenModel>> {
  declare id: string;
  declare name: string;
  declare digest: Buffer;
  /** Null: all that whoever made it sees. */
  declare namespaces: string[] | null;
  declare person: string;
  declare createdAt: CreationOptional<Date>;
  declare expiresAt: Date;
  declare revokedAt: CreationOptional<Date | null>;
  declare usedAt: CreationOptional<Date | null>;
}

export const tokens = table('read_tokens', TokenModel, {
  id: { type: DataTypes.UUID, primaryKey: true },
  name: { type: DataTypes.TEXT, allowNull: false },
  digest: { type: DataTypes.BLOB, allowNull: false },
  namespaces: { type: DataTypes.ARRAY(DataTypes.TEXT) },
  person: { type: DataTypes.TEXT, allowNull: false },
  createdAt: { type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW },
  expiresAt: { type: DataTypes.DATE, allowNull: false },
  revokedAt: { type: DataTypes.DATE },
  usedAt: { type: DataTypes.DATE },
});
