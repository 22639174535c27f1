import { driveSchema } from './schemas';
import { driveId, DrivePaths, numbersFrom } from './swordfish-view';

const drive = (chassis: string, id: string, durable?: string) =>
  driveSchema.parse({
    '@odata.id': `/redfish/v1/Chassis/${chassis}/Drives/${id}`,
    Id: id,
    CapacityBytes: 1,
    Links: { Chassis: { '@odata.id': `/redfish/v1/Chassis/${chassis}` } },
    Identifiers: durable ? [{ DurableNameFormat: 'EUI', DurableName: durable }] : [],
  });

test('drives of one name in two chassis are told apart, and found again where they are', () => {
  const drives = [drive('one', '0'), drive('two', '0'), drive('two', '1', 'eui.00aa')];
  expect(drives.map(driveId)).toEqual(['one/0', 'two/0', 'eui.00aa']);
  const paths = new DrivePaths();
  expect(paths.of({ id: 'eui.00aa', node: 'two' })).toEqual({ '@odata.id': '/redfish/v1/Chassis/two/Drives/eui.00aa' });
  paths.keep(new Map(drives.map((d) => [d['@odata.id'], d])));
  expect(paths.of({ id: 'eui.00aa', node: 'two' })).toEqual({ '@odata.id': '/redfish/v1/Chassis/two/Drives/1' });
  expect(paths.of({ id: 'two/0', node: 'two' })).toEqual({ '@odata.id': '/redfish/v1/Chassis/two/Drives/0' });
});

test('sizes of volume are read from allowable numbers; what is not so is left to the defaults', () => {
  expect(numbersFrom(['1024:4096:512'])).toEqual({ minimum: 1024, maximum: 4096, granule: 512 });
  expect([undefined, [], ['1024'], ['a:b:c'], ['0:5:1']].map((a) => numbersFrom(a))).toEqual(Array(5).fill(undefined));
  expect(() => numbersFrom(['4096:1024:1'])).toThrow('volumes from 4096 to 1024 bytes');
});
