import { DataTypes, Model, type InferAttributes, type InferCreationAttributes } from 'sequelize';
import { table } from '../database/table';

/** A node that is emptied; its state is its operation's. */
class DrainModel extends Model<InferAttributes<DrainModel>, InferCreationAttributes<DrainModel>> {
  declare operationId: string;
  declare node: string;
  /** It took no pods before either: given up, it is left so. */
  declare wasCordoned: boolean;
}

export const drains = table('drains', DrainModel, {
  operationId: { type: DataTypes.UUID, primaryKey: true },
  node: { type: DataTypes.TEXT, allowNull: false },
  wasCordoned: { type: DataTypes.BOOLEAN, allowNull: false },
});
