"""Holds a storage stand-in to the standard, with a client library of it. Prints the outcome as JSON."""
import json
import sys
import time

import sushy
import sushy.connector
from sushy import auth, exceptions

address, user, password, name = sys.argv[1:5]
root = sushy.Sushy(address + '/redfish/v1', auth=auth.SessionOrBasicAuth(user, password))
# the library tries what a server cannot do again and again, seconds apart; here at once
sushy.connector._SERVER_SIDE_RETRY_DELAY = 0
http = root._conn
outcomes = []
GiB = 2 ** 30
BOX = f'/redfish/v1/Storage/{name}'
POOL = {'kelp': 'kelp-nvme', 'basalt': 'basalt-broad'}[name]


def check(told):
    def run(work):
        try:
            work()
            outcomes.append({'name': f'{name}: {told}', 'ok': True})
        except Exception as error:  # every failure is an outcome that is told
            outcomes.append({'name': f'{name}: {told}', 'ok': False, 'detail': f'{type(error).__name__}: {str(error)[:600]}'})
        return work
    return run


def get(path):
    return http.get(path).json()


def refused(status, message, work):
    try:
        work()
    except exceptions.HTTPError as error:
        assert error.status_code == status, f'answered {error.status_code}, wanted {status}: {error}'
        assert message in (error.code or ''), f'said {error.code}, wanted {message}'
        return error
    raise AssertionError(f'was not refused, wanted {status} {message}')


def body(volume, size=5 * GiB, **more):
    return {'Name': volume, 'CapacityBytes': size, 'CapacitySources': [{'ProvidingPools': [{'@odata.id': f'{BOX}/StoragePools/{POOL}'}]}], **more}


def make(volume, size=5 * GiB, **more):
    answer = http.post(f'{BOX}/Volumes', data=body(volume, size, **more))
    assert answer.status_code == 202, answer.status_code
    task = answer.headers['Location']
    for _ in range(200):
        if get(task)['TaskState'] == 'Completed':
            return get(task)['Links']['CreatedResources'][0]['@odata.id']
        time.sleep(0.01)
    raise AssertionError('the task does not end')


seen, broken = {}, []


def fetch(path):
    if path not in seen:
        try:
            seen[path] = get(path)
        except exceptions.HTTPError as error:
            seen[path] = None
            broken.append(f'{path}: {error.status_code}')
    return seen[path]


def crawl(value, base):
    """Follows every link, and every fragment into the resource that it names."""
    if isinstance(value, list):
        for entry in value:
            crawl(entry, base)
    elif isinstance(value, dict):
        path = value.get('@odata.id')
        if isinstance(path, str) and not path.startswith('urn:'):
            bare, _, fragment = path.partition('#')
            bare = bare or base
            fresh = bare not in seen
            resource = fetch(bare)
            if fragment and resource is not None:
                at = resource
                for part in fragment.strip('/').split('/'):
                    try:
                        at = at[int(part)] if isinstance(at, list) else at[part]
                    except (KeyError, IndexError, ValueError):
                        broken.append(f'{path}: no such fragment')
                        break
            if fresh and resource is not None:
                crawl(resource, bare)
        for member, of in value.items():
            if member == 'Actions':
                continue
            crawl(of, base)


made = make('crawled')


@check('no link leads nowhere')
def _():
    crawl({'@odata.id': '/redfish/v1'}, '/redfish/v1')
    assert broken == [], f'{len(broken)} broken: {broken[:10]}'
    assert len(seen) > 30, len(seen)


@check('each resource says who it is and of what type')
def _():
    for path, resource in seen.items():
        assert resource['@odata.id'].rstrip('/') == path.rstrip('/'), (path, resource['@odata.id'])
        assert resource.get('@odata.type', '#').startswith('#') and 'Name' in resource, path


@check('each collection counts its members')
def _():
    for path, resource in seen.items():
        if 'Members' in resource:
            assert resource['Members@odata.count'] == len(resource['Members']), path


@check('it says what queries it knows')
def _():
    features = get('/redfish/v1')['ProtocolFeaturesSupported']
    assert features['FilterQuery'] and features['TopSkipQuery'] and features['ExpandQuery']['Levels'], features


@check('it has a UUID of its own')
def _():
    assert len(root.uuid) == 36


@check('a volume is made without naming drives')
def _():
    volume = get(make('unplaced'))
    assert volume['Status']['State'] == 'Enabled'
    if name == 'kelp':
        assert len(volume['ReplicaTargets']) in (2, 3), volume['ReplicaTargets']


@check('copies that the box places lie on different nodes')
def _():
    if name == 'kelp':
        drives = [d['@odata.id'] for d in get(make('spread', RAIDType='RAID1Triple'))['Links']['Drives']]
        assert len({d.split('/')[4] for d in drives}) == 3, drives


@check('an unknown RAID type is refused')
def _():
    refused(400, 'PropertyValueNotInList', lambda: make('raid', RAIDType='RAID77'))


@check('a RAID type that the pool does not have is refused')
def _():
    refused(400, 'PropertyValueNotInList', lambda: make('raid', RAIDType='RAID0'))


@check('a volume without a name is refused')
def _():
    refused(400, 'PropertyMissing', lambda: http.post(f'{BOX}/Volumes', data={k: v for k, v in body('x').items() if k != 'Name'}))


@check('a volume without a size is refused')
def _():
    refused(400, 'PropertyMissing', lambda: http.post(f'{BOX}/Volumes', data={k: v for k, v in body('x').items() if k != 'CapacityBytes'}))


@check('a size that is no number is refused')
def _():
    refused(400, 'PropertyValueTypeError', lambda: make('typed', size='5Gi'))


@check('a size between the steps is refused')
def _():
    refused(400, 'PropertyValueNotInList', lambda: make('odd', size=5 * GiB + 1))


@check('a size of nothing is refused')
def _():
    refused(400, 'PropertyValueNotInList', lambda: make('empty', size=0))


@check('a pool that is not there is refused')
def _():
    refused(404, 'ResourceNotFound', lambda: make('lost', CapacitySources=[{'ProvidingPools': [{'@odata.id': f'{BOX}/StoragePools/nowhere'}]}]))


@check('two volumes of one name are refused')
def _():
    make('twice')
    refused(409, 'ResourceAlreadyExists', lambda: make('twice'))


@check('a body that is no JSON is refused')
def _():
    refused(400, 'MalformedJSON', lambda: http._op('POST', f'{BOX}/Volumes', data='nothing', headers={'Content-Type': 'application/json'}))


@check('what a volume is made of is a resource')
def _():
    source = get(made)['CapacitySources'][0]['@odata.id']
    assert get(source)['ProvidingPools'][0]['@odata.id'] == f'{BOX}/StoragePools/{POOL}'


@check('a source that is not there is not found')
def _():
    refused(404, 'ResourceNotFound', lambda: get(f'{made}/CapacitySources/2'))


@check('a drive is found in its own chassis alone')
def _():
    drives = get(BOX)['Drives']
    if drives:
        path = drives[0]['@odata.id'].split('/')
        others = [c['@odata.id'].split('/')[-1] for c in get('/redfish/v1/Chassis')['Members'] if c['@odata.id'].split('/')[-1] != path[4]]
        if others:
            refused(404, 'ResourceNotFound', lambda: get('/'.join(path[:4] + [others[0]] + path[5:])))


# --- queries

def volumes(query):
    return get(f'{BOX}/Volumes?{query}')


@check('$top shows a part, counts all, and leads on')
def _():
    page = volumes('$top=1')
    assert len(page['Members']) == 1 and page['Members@odata.count'] > 1 and 'Members@odata.nextLink' in page, page


@check('following the links of pages shows each member once')
def _():
    names, path = [], f'{BOX}/Volumes?$top=2'
    while path:
        page = get(path)
        names += [m['@odata.id'] for m in page['Members']]
        path = page.get('Members@odata.nextLink')
    assert len(names) == len(set(names)) == volumes('')['Members@odata.count'], names


@check('$skip passes over members')
def _():
    everything = [m['@odata.id'] for m in volumes('')['Members']]
    assert [m['@odata.id'] for m in volumes('$skip=1')['Members']] == everything[1:]


@check('$skip beyond the end shows nothing')
def _():
    assert volumes('$skip=9999')['Members'] == []


@check('a $top that is no number is refused')
def _():
    refused(400, 'QueryParameterValueFormatError', lambda: volumes('$top=two'))


@check('a negative $skip is refused')
def _():
    refused(400, 'QueryParameterValueFormatError', lambda: volumes('$skip=-1'))


@check('$filter by name')
def _():
    assert [m['@odata.id'] for m in volumes("$filter=Name eq 'crawled'")['Members']] == [made]


@check('$filter by a number')
def _():
    make('large', size=50 * GiB)
    found = volumes(f'$filter=CapacityBytes eq {50 * GiB}&$expand=.')['Members']
    assert [v['Name'] for v in found] == ['large'], found


@check('$filter by two things')
def _():
    found = volumes(f"$filter=CapacityBytes lt {50 * GiB} and Name ne 'crawled'&$expand=.")['Members']
    assert found and 'crawled' not in [v['Name'] for v in found] and 'large' not in [v['Name'] for v in found]


@check('$filter by a member of a member')
def _():
    assert volumes("$filter=Status/State eq 'Enabled'")['Members@odata.count'] >= 2


@check('a $filter that cannot be read is refused, not passed over')
def _():
    for wrong in ('Name like x', "Name eq 'a' or Name eq 'b'", "contains(Name,'a')", "Name eq 'open", ''):
        refused(400, 'QueryParameterValueFormatError', lambda: volumes(f'$filter={wrong}'))


@check('an unknown query is refused, not passed over')
def _():
    refused(501, 'QueryNotSupported', lambda: volumes('$orderby=Name'))
    refused(501, 'QueryNotSupported', lambda: volumes('only'))


@check('a query of another kind is passed over')
def _():
    assert volumes('purpose=test')['Members@odata.count'] > 0


@check('$expand shows members whole')
def _():
    assert all('CapacityBytes' in m for m in volumes('$expand=.($levels=1)')['Members'])


@check('an $expand that cannot be read is refused')
def _():
    refused(400, 'QueryParameterValueFormatError', lambda: volumes('$expand=everything'))


@check('pools and drives take the same queries')
def _():
    pools = get(f'{BOX}/StoragePools?$top=1')
    assert len(pools['Members']) == 1 and pools['Members@odata.count'] >= 2
    assert get(f"{BOX}/StoragePools?$filter=Name eq '{POOL}'")['Members@odata.count'] == 1


# --- changes

@check('a volume grows')
def _():
    http.patch(made, data={'CapacityBytes': 8 * GiB})
    assert get(made)['CapacityBytes'] == 8 * GiB


@check('a volume does not shrink')
def _():
    refused(400, 'PropertyValueOutOfRange', lambda: http.patch(made, data={'CapacityBytes': 2 * GiB}))
    assert get(made)['CapacityBytes'] == 8 * GiB


@check('a volume grows by whole steps')
def _():
    refused(400, 'PropertyValueNotInList', lambda: http.patch(made, data={'CapacityBytes': 8 * GiB + 7}))


@check('a volume takes another name for people')
def _():
    http.patch(made, data={'DisplayName': 'Bookings'})
    assert get(made)['DisplayName'] == 'Bookings' and get(made)['Name'] == 'crawled'


@check('what cannot be written is refused')
def _():
    refused(400, 'PropertyNotWritable', lambda: http.patch(made, data={'Encrypted': True}))


@check('what is not known is refused')
def _():
    refused(400, 'PropertyUnknown', lambda: http.patch(made, data={'Colour': 'red'}))


@check('a volume that is not there is not found')
def _():
    refused(404, 'ResourceNotFound', lambda: http.patch(f'{BOX}/Volumes/none', data={'CapacityBytes': 8 * GiB}))
    refused(404, 'ResourceNotFound', lambda: http.delete(f'{BOX}/Volumes/none'))


@check('a volume that is deleted is gone')
def _():
    path = make('brief')
    http.delete(path)
    refused(404, 'ResourceNotFound', lambda: get(path))


print(json.dumps(outcomes))
