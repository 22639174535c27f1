"""Holds the platform's stand-in to what the real one does, with its ordinary client library. Prints the outcome as JSON."""
import json
import sys
import threading
import time

from kubernetes import client, watch
from kubernetes.client.rest import ApiException

configuration = client.Configuration()
configuration.host = sys.argv[1]
control = sys.argv[2]
api = client.ApiClient(configuration)
core, apps, storage, custom = client.CoreV1Api(api), client.AppsV1Api(api), client.StorageV1Api(api), client.CustomObjectsApi(api)
outcomes = []
NS = 'ferry-desk'


def check(name):
    def run(work):
        try:
            work()
            outcomes.append({'name': name, 'ok': True})
        except Exception as error:  # every failure is an outcome that is told
            outcomes.append({'name': name, 'ok': False, 'detail': f'{type(error).__name__}: {str(error)[:600]}'})
        return work
    return run


def refused(status, work, words='', reason=None):
    try:
        work()
    except ApiException as error:
        body = json.loads(error.body)
        assert error.status == status, f'answered {error.status}, wanted {status}: {error.body}'
        assert body['kind'] == 'Status' and body['status'] == 'Failure' and body['code'] == status, body
        assert words.lower() in body['message'].lower(), f'said {body["message"]!r}, wanted {words!r}'
        if reason:
            assert body['reason'] == reason, body
        return body
    raise AssertionError(f'was not refused, wanted {status}')


def until(what, look):
    for _ in range(200):
        found = look()
        if found:
            return found
        time.sleep(0.02)
    raise AssertionError(f'{what} did not come about')


def claim(name, size='5Gi', cls='fast', modes=('ReadWriteOnce',), **spec):
    return {'apiVersion': 'v1', 'kind': 'PersistentVolumeClaim', 'metadata': {'name': name},
            'spec': {'accessModes': list(modes), 'storageClassName': cls, 'resources': {'requests': {'storage': size}}, **spec}}


def volume(name, size='10Gi', cls='fast', modes=('ReadWriteOnce',), labels=None, **spec):
    return {'metadata': {'name': name, 'labels': labels or {}},
            'spec': {'capacity': {'storage': size}, 'accessModes': list(modes), 'storageClassName': cls,
                     'persistentVolumeReclaimPolicy': 'Retain', 'csi': {'driver': 'plank.example', 'volumeHandle': name}, **spec}}


def make(name, namespace=NS, **parts):
    return core.create_namespaced_persistent_volume_claim(namespace, claim(name, **parts))


def read(name, namespace=NS):
    return core.read_namespaced_persistent_volume_claim(name, namespace)


def patch(name, body, namespace=NS, **options):
    return core.patch_namespaced_persistent_volume_claim(name, namespace, body, **options)


def gone(name, namespace=NS):
    try:
        read(name, namespace)
        return False
    except ApiException as error:
        return error.status == 404


def call(method, path, body=None, query=(), kind='application/json'):
    data, status, headers = api.call_api(path, method, query_params=list(query), body=body, response_type='object',
                                         header_params={'Accept': 'application/json', 'Content-Type': kind}, _return_http_data_only=False)
    return data, status


for name, growing in (('fast', True), ('fixed', False), ('stretch', True)):
    storage.create_storage_class({'metadata': {'name': name}, 'provisioner': 'plank.example', 'allowVolumeExpansion': growing})
CLAIMS = f'/api/v1/namespaces/{NS}/persistentvolumeclaims'


# --- discovery

@check('discovery lists the groups')
def _():
    groups = [g.name for g in client.ApisApi(api).get_api_versions().groups]
    assert set(groups) >= {'apps', 'storage.k8s.io', 'snapshot.storage.k8s.io'}, groups


@check('discovery gives short names')
def _():
    found = {r.name: r.short_names for r in core.get_api_resources().resources}
    assert found['persistentvolumeclaims'] == ['pvc'] and found['persistentvolumes'] == ['pv'] and found['nodes'] == ['no'], found


@check('discovery says which resources have a status and a scale')
def _():
    names = [r.name for r in apps.get_api_resources().resources]
    assert 'statefulsets/status' in names and 'statefulsets/scale' in names, names


@check('discovery tells of deletecollection')
def _():
    assert 'deletecollection' in core.get_api_resources().resources[0].verbs


@check('a group is described by itself')
def _():
    assert client.StorageApi(api).get_api_group().preferred_version.version == 'v1'


@check('the version is told')
def _():
    assert client.VersionApi(api).get_code().major == '1'


@check('OpenAPI version 2 names every kind with its group and version')
def _():
    data, _status = call('GET', '/openapi/v2')
    kinds = [k['x-kubernetes-group-version-kind'][0]['kind'] for k in data['definitions'].values()]
    assert 'PersistentVolumeClaim' in kinds and 'VolumeSnapshot' in kinds, kinds


@check('OpenAPI version 3 is an index of documents that are there')
def _():
    data, _status = call('GET', '/openapi/v3')
    assert 'api/v1' in data['paths']
    for entry in data['paths'].values():
        document, _status = call('GET', entry['serverRelativeURL'])
        assert document['openapi'].startswith('3.'), document


@check('the server is alive and ready')
def _():
    for path in ('/livez', '/readyz'):
        assert api.call_api(path, 'GET', response_type='str', _return_http_data_only=True) == 'ok'


# --- objects, kinds and namespaces

@check('an object that is not there is told of with its details')
def _():
    body = refused(404, lambda: read('nobody'), 'persistentvolumeclaims "nobody" not found', 'NotFound')
    assert body['details'] == {'name': 'nobody', 'kind': 'persistentvolumeclaims'}, body


@check('the details name the group')
def _():
    body = refused(404, lambda: storage.read_storage_class('nobody'), 'storageclasses.storage.k8s.io "nobody" not found')
    assert body['details']['group'] == 'storage.k8s.io', body


@check('a second of the same name is refused with its details')
def _():
    make('twice')
    body = refused(409, lambda: make('twice'), 'already exists', 'AlreadyExists')
    assert body['details']['name'] == 'twice'


@check('a body of another kind is refused')
def _():
    refused(400, lambda: call('POST', CLAIMS, {**claim('kind'), 'kind': 'Secret'}), 'cannot be handled as a PersistentVolumeClaim')


@check('a body of another version is refused')
def _():
    refused(400, lambda: call('POST', CLAIMS, {**claim('kind'), 'apiVersion': 'v2'}), 'cannot be handled as')


@check('a body of another namespace is refused')
def _():
    body = claim('elsewhere')
    body['metadata']['namespace'] = 'tide-gauges'
    refused(400, lambda: call('POST', CLAIMS, body), 'the namespace of the provided object does not match')


@check('a namespace that is not there takes nothing')
def _():
    body = refused(404, lambda: make('lost', namespace='nowhere'), 'namespaces "nowhere" not found')
    assert body['details']['kind'] == 'namespaces'


@check('a body that is no object is refused')
def _():
    refused(400, lambda: call('POST', CLAIMS, [1, 2]))


@check('a body without metadata is refused')
def _():
    refused(422, lambda: call('POST', CLAIMS, {'spec': {}}), 'name or generateName is required')


@check('an object that is made has no resource version yet')
def _():
    body = claim('versioned')
    body['metadata']['resourceVersion'] = '5'
    refused(400, lambda: call('POST', CLAIMS, body), 'resourceVersion should not be set')


@check('names are generated')
def _():
    body = claim('x')
    body['metadata'] = {'generateName': 'made-'}
    made = core.create_namespaced_persistent_volume_claim(NS, body)
    assert made.metadata.name.startswith('made-') and len(made.metadata.name) > 5


@check('a wrong name is refused by its field')
def _():
    body = refused(422, lambda: make('Not_A_Name'), 'metadata.name', 'Invalid')
    assert body['details']['causes'][0]['field'] == 'metadata.name'


@check('a replacement under another name is refused')
def _():
    there = api.sanitize_for_serialization(read('twice'))
    there['metadata']['name'] = 'other'
    refused(400, lambda: call('PUT', f'{CLAIMS}/twice', there), 'does not match the name on the URL')


@check('a replacement of another uid is refused')
def _():
    there = api.sanitize_for_serialization(read('twice'))
    there['metadata']['uid'] = '00000000-0000-0000-0000-000000000000'
    there['metadata'].pop('resourceVersion')
    refused(409, lambda: call('PUT', f'{CLAIMS}/twice', there), 'Precondition failed: UID', 'Conflict')


@check('a replacement of an old version is refused')
def _():
    there = api.sanitize_for_serialization(read('twice'))
    patch('twice', {'metadata': {'labels': {'tide': 'high'}}})
    refused(409, lambda: call('PUT', f'{CLAIMS}/twice', there), 'the object has been modified', 'Conflict')


@check('a status write changes the status alone')
def _():
    core.patch_namespaced_persistent_volume_claim_status('twice', NS, {'metadata': {'labels': {'no': 'way'}}, 'status': {'conditions': []}})
    assert 'no' not in (read('twice').metadata.labels or {})


@check('an unknown address is a Status of its own')
def _():
    refused(404, lambda: call('GET', '/api/v1/tides'), 'could not find the requested resource')


# --- dry run

@check('a dry run makes nothing, and shows what would be made')
def _():
    made = core.create_namespaced_persistent_volume_claim(NS, claim('trial'), dry_run='All')
    assert made.metadata.uid and made.spec.volume_mode == 'Filesystem'
    assert gone('trial')


@check('a dry run refuses what would be refused')
def _():
    refused(422, lambda: core.create_namespaced_persistent_volume_claim(NS, claim('trial', size='0'), dry_run='All'))


@check('a dry run changes nothing')
def _():
    before = read('twice').metadata.resource_version
    shown = patch('twice', {'metadata': {'labels': {'trial': 'yes'}}}, dry_run='All')
    assert shown.metadata.labels['trial'] == 'yes'
    assert read('twice').metadata.resource_version == before and 'trial' not in read('twice').metadata.labels


@check('a dry run deletes nothing')
def _():
    core.delete_namespaced_persistent_volume_claim('twice', NS, dry_run='All')
    assert read('twice').metadata.deletion_timestamp is None


@check('another kind of dry run is refused')
def _():
    refused(422, lambda: core.create_namespaced_persistent_volume_claim(NS, claim('trial'), dry_run='Some'), 'supported values: "All"')


# --- patches

@check('a JSON patch whose test fails is refused')
def _():
    refused(422, lambda: call('PATCH', f'{CLAIMS}/twice', [{'op': 'test', 'path': '/spec/volumeMode', 'value': 'Block'}], kind='application/json-patch+json'))


@check('a JSON patch of what is not there is refused')
def _():
    refused(422, lambda: call('PATCH', f'{CLAIMS}/twice', [{'op': 'remove', 'path': '/metadata/labels/never'}], kind='application/json-patch+json'))


@check('a patch in an unknown form is refused')
def _():
    refused(415, lambda: call('PATCH', f'{CLAIMS}/twice', {'a': 1}, kind='application/json'), 'accepted media types')


@check('a strategic merge patch merges lists by their keys')
def _():
    pod = {'metadata': {'name': 'merged'}, 'spec': {'containers': [{'name': 'a', 'image': 'one'}, {'name': 'b', 'image': 'two'}]}}
    core.create_namespaced_pod(NS, pod)
    call('PATCH', f'/api/v1/namespaces/{NS}/pods/merged', {'spec': {'containers': [{'name': 'b', 'image': 'three'}]}}, kind='application/strategic-merge-patch+json')
    found = {c.name: c.image for c in core.read_namespaced_pod('merged', NS).spec.containers}
    assert found == {'a': 'one', 'b': 'three'}, found


@check('a strategic merge patch deletes by its directive')
def _():
    call('PATCH', f'/api/v1/namespaces/{NS}/pods/merged', {'spec': {'containers': [{'name': 'a', '$patch': 'delete'}]}}, kind='application/strategic-merge-patch+json')
    assert [c.name for c in core.read_namespaced_pod('merged', NS).spec.containers] == ['b']


@check('a strategic merge patch adds to finalizers, a merge patch replaces lists')
def _():
    call('PATCH', f'{CLAIMS}/twice', {'metadata': {'finalizers': ['orrin.example/hold']}}, kind='application/strategic-merge-patch+json')
    assert set(read('twice').metadata.finalizers) == {'kubernetes.io/pvc-protection', 'orrin.example/hold'}
    call('PATCH', f'{CLAIMS}/twice', {'metadata': {'finalizers': ['kubernetes.io/pvc-protection']}}, kind='application/merge-patch+json')
    assert read('twice').metadata.finalizers == ['kubernetes.io/pvc-protection']


def apply(name, body, manager, force=None):
    query = [('fieldManager', manager)] + ([('force', force)] if force else [])
    return call('PATCH', f'{CLAIMS}/{name}', json.dumps(body), query, 'application/apply-patch+yaml')


@check('server-side apply makes what is not there')
def _():
    body = claim('applied')
    body['metadata']['labels'] = {'owner': 'one', 'tier': 'fast'}
    made, status = apply('applied', body, 'first')
    assert status == 201 and made['metadata']['managedFields'][0]['manager'] == 'first', made


@check('server-side apply needs a manager')
def _():
    refused(400, lambda: call('PATCH', f'{CLAIMS}/applied', json.dumps(claim('applied')), kind='application/apply-patch+yaml'), 'fieldManager')


@check('server-side apply refuses what another manager set otherwise')
def _():
    body = claim('applied')
    body['metadata']['labels'] = {'owner': 'two'}
    told = refused(409, lambda: apply('applied', body, 'second'), 'Apply failed with 1 conflict', 'Conflict')
    assert told['details']['causes'][0]['reason'] == 'FieldManagerConflict' and told['details']['causes'][0]['field'] == '.metadata.labels.owner'


@check('server-side apply takes over by force')
def _():
    body = claim('applied')
    body['metadata']['labels'] = {'owner': 'two'}
    made, _status = apply('applied', body, 'second', 'true')
    assert made['metadata']['labels'] == {'owner': 'two', 'tier': 'fast'}, made


@check('server-side apply takes away what its manager no longer names')
def _():
    made, _status = apply('applied', claim('applied'), 'first')
    assert 'tier' not in made['metadata'].get('labels', {}), made


# --- selectors, pages, watches

@check('a label selector that cannot be read is refused')
def _():
    refused(400, lambda: core.list_namespaced_persistent_volume_claim(NS, label_selector='a in (b'), 'unable to parse requirement')


@check('a field that cannot be selected by is refused')
def _():
    refused(400, lambda: core.list_namespaced_persistent_volume_claim(NS, field_selector='spec.volumeName=x'), 'field label not supported: spec.volumeName')


@check('pods are selected by their node')
def _():
    until('the pod has a node', lambda: core.read_namespaced_pod('merged', NS).spec.node_name)
    node = core.read_namespaced_pod('merged', NS).spec.node_name
    assert [p.metadata.name for p in core.list_namespaced_pod(NS, field_selector=f'spec.nodeName={node}').items] == ['merged']


@check('set-based label selectors')
def _():
    zones = core.list_node(label_selector='topology.kubernetes.io/zone notin (north),kubernetes.io/hostname').items
    assert len(zones) == 8, len(zones)


@check('pages cover a list as it was when it was begun')
def _():
    for i in range(5):
        core.create_namespaced_secret(NS, {'metadata': {'name': f'page-{i}'}})
    first = core.list_namespaced_secret(NS, limit=2)
    core.create_namespaced_secret(NS, {'metadata': {'name': 'page-0-between'}})
    core.delete_namespaced_secret('page-3', NS)
    names, token = [s.metadata.name for s in first.items], first.metadata._continue
    versions = {first.metadata.resource_version}
    while token:
        page = core.list_namespaced_secret(NS, limit=2, _continue=token)
        names += [s.metadata.name for s in page.items]
        versions.add(page.metadata.resource_version)
        token = page.metadata._continue
    assert names == [f'page-{i}' for i in range(5)] and len(versions) == 1, (names, versions)


@check('a page tells how many are left')
def _():
    assert core.list_node(limit=5).metadata.remaining_item_count == 7


@check('a token that nobody gave is refused')
def _():
    refused(400, lambda: core.list_node(limit=2, _continue='3'), 'continue key is not valid')


@check('a token that was changed is refused')
def _():
    token = core.list_node(limit=2).metadata._continue
    refused(400, lambda: core.list_node(limit=2, _continue=token[:-6] + 'AAAAAA'), 'continue key is not valid')


@check('a token of another list is refused')
def _():
    token = core.list_node(limit=2).metadata._continue
    refused(400, lambda: core.list_namespaced_secret(NS, limit=2, _continue=token), 'continue key is not valid')


@check('a token that is too old is told so')
def _():
    import urllib.request
    token = core.list_node(limit=2).metadata._continue
    urllib.request.urlopen(urllib.request.Request(control + '/expire-history', method='POST'))
    refused(410, lambda: core.list_node(limit=2, _continue=token), 'too old to display a consistent list', 'Expired')


@check('a watch as the client library asks for it, watch=True')
def _():
    version = core.list_namespaced_secret(NS).metadata.resource_version
    core.create_namespaced_secret(NS, {'metadata': {'name': 'watched'}})
    for event in watch.Watch().stream(core.list_namespaced_secret, NS, resource_version=version, timeout_seconds=5):
        assert event['type'] == 'ADDED' and event['object'].metadata.name == 'watched', event
        break


@check('a watch asked for with 1')
def _():
    response = api.call_api(f'/api/v1/namespaces/{NS}/secrets', 'GET', query_params=[('watch', '1'), ('timeoutSeconds', '1')],
                            _preload_content=False, _return_http_data_only=True)
    assert json.loads(response.readline())['type'] == 'ADDED'


@check('a watch begins with what is there when no version is named')
def _():
    names = [e['object'].metadata.name for e in watch.Watch().stream(core.list_node, timeout_seconds=1)]
    assert len(names) == 12, names


@check('a watch of a version that is not kept is ended as expired')
def _():
    import urllib.request
    version = core.list_node().metadata.resource_version
    core.patch_node('quay-01', {'metadata': {'labels': {'tide': 'low'}}})
    urllib.request.urlopen(urllib.request.Request(control + '/expire-history', method='POST'))
    try:
        for _event in watch.Watch().stream(core.list_node, resource_version=version, timeout_seconds=2):
            raise AssertionError('got an event')
    except ApiException as error:
        assert error.status == 410, error


@check('a selected watch tells when an object comes into the selection and leaves it')
def _():
    version = core.list_namespaced_secret(NS).metadata.resource_version
    core.patch_namespaced_secret('watched', NS, {'metadata': {'labels': {'seen': 'yes'}}})
    core.patch_namespaced_secret('watched', NS, {'metadata': {'labels': {'seen': 'no'}}})
    types = [e['type'] for e in watch.Watch().stream(core.list_namespaced_secret, NS, label_selector='seen=yes', resource_version=version, timeout_seconds=1)]
    assert types == ['ADDED', 'DELETED'], types


@check('a watch of a selection that cannot be read is refused')
def _():
    refused(400, lambda: core.list_node(field_selector='spec.color=red', watch=True))


@check('versions rise with every change and never fall')
def _():
    seen = []
    for i in range(3):
        core.patch_namespaced_secret('watched', NS, {'metadata': {'labels': {'n': str(i)}}})
        seen.append(int(core.list_namespaced_secret(NS).metadata.resource_version))
    core.delete_namespaced_secret('watched', NS)
    seen.append(int(core.list_namespaced_secret(NS).metadata.resource_version))
    assert seen == sorted(set(seen)), seen


# --- deletion

@check('a deletion answers with a Status that names the object')
def _():
    core.create_namespaced_secret(NS, {'metadata': {'name': 'brief'}})
    data, _status = call('DELETE', f'/api/v1/namespaces/{NS}/secrets/brief')
    assert data['kind'] == 'Status' and data['status'] == 'Success' and data['details']['name'] == 'brief', data


@check('a deletion with the uid of another is refused')
def _():
    options = client.V1DeleteOptions(preconditions=client.V1Preconditions(uid='00000000-0000-0000-0000-000000000000'))
    refused(409, lambda: core.delete_namespaced_persistent_volume_claim('twice', NS, body=options), 'Precondition failed: UID', 'Conflict')


@check('a deletion with an old version is refused')
def _():
    options = client.V1DeleteOptions(preconditions=client.V1Preconditions(resource_version='1'))
    refused(409, lambda: core.delete_namespaced_persistent_volume_claim('twice', NS, body=options), 'Precondition failed: ResourceVersion')


@check('a deletion with the right uid is done')
def _():
    options = client.V1DeleteOptions(preconditions=client.V1Preconditions(uid=read('twice').metadata.uid))
    core.delete_namespaced_persistent_volume_claim('twice', NS, body=options)
    until('it is gone', lambda: gone('twice'))


@check('an unknown propagation is refused')
def _():
    refused(422, lambda: core.delete_namespaced_persistent_volume_claim('applied', NS, propagation_policy='Sideways'))


@check('a finalizer holds an object until it is taken off')
def _():
    body = claim('held')
    body['metadata']['finalizers'] = ['orrin.example/hold']
    core.create_namespaced_persistent_volume_claim(NS, body)
    core.delete_namespaced_persistent_volume_claim('held', NS)
    time.sleep(0.1)
    assert read('held').metadata.deletion_timestamp is not None
    patch('held', {'metadata': {'finalizers': None}})
    until('it is gone', lambda: gone('held'))


@check('a collection is deleted by selection')
def _():
    for i in range(3):
        core.create_namespaced_secret(NS, {'metadata': {'name': f'many-{i}', 'labels': {'many': 'yes' if i else 'no'}}})
    core.delete_collection_namespaced_secret(NS, label_selector='many=yes')
    left = [s.metadata.name for s in core.list_namespaced_secret(NS, label_selector='many').items]
    assert left == ['many-0'], left


@check('a collection is not deleted by a selection that cannot be read')
def _():
    refused(400, lambda: core.delete_collection_namespaced_secret(NS, label_selector='many in ('))


def stateful_set(name, replicas=2, cls='fast', **spec):
    return {'metadata': {'name': name}, 'spec': {
        'serviceName': name, 'replicas': replicas, 'podManagementPolicy': 'Parallel', 'selector': {'matchLabels': {'app': name}},
        'template': {'metadata': {'labels': {'app': name}}, 'spec': {'containers': [{'name': 'c', 'image': 'i'}]}},
        'volumeClaimTemplates': [{'metadata': {'name': 'data'}, 'spec': claim('x', cls=cls)['spec']}], **spec}}


def pods_of(name):
    return sorted(p.metadata.name for p in core.list_namespaced_pod(NS, label_selector=f'app={name}').items)


@check('a set makes its pods and claims')
def _():
    apps.create_namespaced_stateful_set(NS, stateful_set('vault', 3))
    until('three pods', lambda: pods_of('vault') == ['vault-0', 'vault-1', 'vault-2'])
    assert not gone('data-vault-2')


@check('a set scales down, the last pods first, and keeps their claims')
def _():
    apps.patch_namespaced_stateful_set('vault', NS, {'spec': {'replicas': 1}})
    until('one pod', lambda: pods_of('vault') == ['vault-0'])
    assert not gone('data-vault-2')


@check('a set scales by its scale')
def _():
    assert apps.read_namespaced_stateful_set_scale('vault', NS).spec.replicas == 1
    apps.patch_namespaced_stateful_set_scale('vault', NS, {'spec': {'replicas': 2}})
    until('two pods', lambda: pods_of('vault') == ['vault-0', 'vault-1'])


@check('a set does not take another claim template')
def _():
    refused(422, lambda: apps.patch_namespaced_stateful_set('vault', NS, {'spec': {'serviceName': 'other'}}), 'updates to statefulset spec for fields other than')


@check('a set deleted in the background takes its pods along and leaves its claims')
def _():
    apps.delete_namespaced_stateful_set('vault', NS, propagation_policy='Background')
    until('no pods', lambda: pods_of('vault') == [])
    assert not gone('data-vault-0')


@check('a set deleted as an orphan leaves its pods')
def _():
    apps.create_namespaced_stateful_set(NS, stateful_set('orphan', 1))
    until('a pod', lambda: pods_of('orphan') == ['orphan-0'])
    apps.delete_namespaced_stateful_set('orphan', NS, propagation_policy='Orphan')
    time.sleep(0.1)
    assert core.read_namespaced_pod('orphan-0', NS).metadata.owner_references in (None, [])
    core.delete_namespaced_pod('orphan-0', NS)


@check('a set deleted in the foreground goes after its pods')
def _():
    apps.create_namespaced_stateful_set(NS, stateful_set('front', 2))
    until('pods', lambda: len(pods_of('front')) == 2)
    apps.delete_namespaced_stateful_set('front', NS, propagation_policy='Foreground')
    until('nothing is left', lambda: pods_of('front') == [] and not [s for s in apps.list_namespaced_stateful_set(NS).items if s.metadata.name == 'front'])


@check('claims go with a set that says so when scaled and when deleted')
def _():
    policy = {'whenScaled': 'Delete', 'whenDeleted': 'Delete'}
    apps.create_namespaced_stateful_set(NS, stateful_set('tidy', 2, persistentVolumeClaimRetentionPolicy=policy))
    until('pods', lambda: len(pods_of('tidy')) == 2)
    apps.patch_namespaced_stateful_set('tidy', NS, {'spec': {'replicas': 1}})
    until('the second claim goes', lambda: gone('data-tidy-1'))
    assert not gone('data-tidy-0')
    apps.delete_namespaced_stateful_set('tidy', NS)
    until('the first goes too', lambda: gone('data-tidy-0'))


@check('what an owner leaves behind is collected')
def _():
    owner = core.create_namespaced_secret(NS, {'metadata': {'name': 'owner'}})
    reference = {'apiVersion': 'v1', 'kind': 'Secret', 'name': 'owner', 'uid': owner.metadata.uid}
    core.create_namespaced_secret(NS, {'metadata': {'name': 'owned', 'ownerReferences': [reference]}})
    core.delete_namespaced_secret('owner', NS)
    until('it is collected', lambda: 'owned' not in [s.metadata.name for s in core.list_namespaced_secret(NS).items])


@check('a namespace takes all that is in it along')
def _():
    core.create_namespace({'metadata': {'name': 'brief'}})
    make('inside', namespace='brief')
    core.create_namespaced_secret('brief', {'metadata': {'name': 'inside'}})
    core.delete_namespace('brief')
    until('it is gone', lambda: 'brief' not in [n.metadata.name for n in core.list_namespace().items])
    assert not [c for c in core.list_persistent_volume_claim_for_all_namespaces().items if c.metadata.namespace == 'brief']


@check('a namespace that is going takes nothing new')
def _():
    core.create_namespace({'metadata': {'name': 'going'}})
    body = claim('holds')
    body['metadata']['finalizers'] = ['orrin.example/hold']
    core.create_namespaced_persistent_volume_claim('going', body)
    core.delete_namespace('going')
    until('it is terminating', lambda: core.read_namespace('going').status.phase == 'Terminating')
    refused(403, lambda: make('late', namespace='going'), 'because it is being terminated', 'Forbidden')
    patch('holds', {'metadata': {'finalizers': None}}, namespace='going')
    until('it is gone', lambda: 'going' not in [n.metadata.name for n in core.list_namespace().items])


# --- claims and volumes

@check('a claim without an access mode is refused by its field')
def _():
    body = refused(422, lambda: make('modeless', modes=()))
    assert body['details']['causes'][0]['field'] == 'spec.accessModes'


@check('a claim and a volume made beforehand that fits are bound')
def _():
    core.create_persistent_volume(volume('shelf-1', cls='shelf'))
    make('takes-shelf', cls='shelf')
    until('bound', lambda: read('takes-shelf').status.phase == 'Bound')
    assert read('takes-shelf').spec.volume_name == 'shelf-1'
    assert core.read_persistent_volume('shelf-1').spec.claim_ref.uid == read('takes-shelf').metadata.uid


@check('the smallest volume that fits is taken')
def _():
    for name, size in (('big', '50Gi'), ('small', '6Gi'), ('tiny', '1Gi')):
        core.create_persistent_volume(volume(f'size-{name}', size, cls='sized'))
    make('takes-small', cls='sized')
    until('bound', lambda: read('takes-small').status.phase == 'Bound')
    assert read('takes-small').spec.volume_name == 'size-small'


def stays_pending(name):
    time.sleep(0.1)
    assert read(name).status.phase == 'Pending' and not read(name).spec.volume_name, read(name)


@check('another class is no match')
def _():
    make('other-class', cls='unsized')
    stays_pending('other-class')


@check('a missing access mode is no match')
def _():
    make('many-writers', cls='sized', modes=('ReadWriteMany',))
    stays_pending('many-writers')


@check('another volume mode is no match')
def _():
    make('raw', cls='sized', volumeMode='Block')
    stays_pending('raw')


@check('too small a volume is no match')
def _():
    make('huge', cls='sized', size='500Gi')
    stays_pending('huge')


@check('a selector takes a volume by its labels')
def _():
    core.create_persistent_volume(volume('labelled', '9Gi', cls='picked', labels={'shelf': 'upper'}))
    core.create_persistent_volume(volume('unlabelled', '8Gi', cls='picked'))
    make('picks', cls='picked', selector={'matchLabels': {'shelf': 'upper'}})
    until('bound', lambda: read('picks').status.phase == 'Bound')
    assert read('picks').spec.volume_name == 'labelled'


@check('a claim that names a volume gets that one')
def _():
    core.create_persistent_volume(volume('wanted', '30Gi', cls='named'))
    core.create_persistent_volume(volume('unwanted', '6Gi', cls='named'))
    make('wants', cls='named', volumeName='wanted')
    until('bound', lambda: read('wants').status.phase == 'Bound')
    assert core.read_persistent_volume('unwanted').status.phase == 'Available'


@check('a volume that names its claim waits for it, and goes to nobody else')
def _():
    core.create_persistent_volume(volume('kept', cls='kept', claimRef={'namespace': NS, 'name': 'expected'}))
    make('stranger', cls='kept')
    stays_pending('stranger')
    make('expected', cls='kept')
    until('bound', lambda: read('expected').status.phase == 'Bound')


@check('a volume that names its claim and does not fit is not bound')
def _():
    core.create_persistent_volume(volume('misfit', cls='misfit', modes=('ReadOnlyMany',), claimRef={'namespace': NS, 'name': 'misfit'}))
    make('misfit', cls='misfit')
    stays_pending('misfit')


@check('a bound claim keeps its volume')
def _():
    refused(422, lambda: patch('wants', {'spec': {'volumeName': 'unwanted'}}), 'spec is immutable after creation')


@check('a bound claim does not shrink')
def _():
    refused(422, lambda: patch('wants', {'spec': {'resources': {'requests': {'storage': '1Gi'}}}}), 'field can not be less than previous value')


@check('a bound claim whose class does not grow is refused')
def _():
    core.create_persistent_volume(volume('rigid', cls='fixed'))
    make('rigid', cls='fixed')
    until('bound', lambda: read('rigid').status.phase == 'Bound')
    refused(403, lambda: patch('rigid', {'spec': {'resources': {'requests': {'storage': '20Gi'}}}}), 'must support resize', 'Forbidden')


@check('a bound claim whose class grows may ask for more')
def _():
    core.create_persistent_volume(volume('elastic', cls='stretch'))
    make('elastic', cls='stretch')
    until('bound', lambda: read('elastic').status.phase == 'Bound')
    assert patch('elastic', {'spec': {'resources': {'requests': {'storage': '20Gi'}}}}).spec.resources.requests['storage'] == '20Gi'


@check('a claim that is not bound keeps its size')
def _():
    refused(422, lambda: patch('huge', {'spec': {'resources': {'requests': {'storage': '600Gi'}}}}), 'spec is immutable after creation')


@check('a claim keeps its class, modes and source')
def _():
    for spec in ({'storageClassName': 'other'}, {'accessModes': ['ReadOnlyMany']}, {'volumeMode': 'Block'},
                 {'dataSource': {'kind': 'PersistentVolumeClaim', 'name': 'x'}}):
        refused(422, lambda: patch('elastic', {'spec': spec}), 'spec is immutable')


@check('a volume keeps its source')
def _():
    refused(422, lambda: core.patch_persistent_volume('elastic', {'spec': {'csi': {'volumeHandle': 'other'}}}), 'spec.persistentvolumesource is immutable after creation')


@check('a volume keeps its mode')
def _():
    refused(422, lambda: core.patch_persistent_volume('elastic', {'spec': {'volumeMode': 'Block'}}), 'field is immutable')


@check('a claim in use by a pod waits for it when deleted')
def _():
    spec = {'containers': [{'name': 'c', 'image': 'i'}], 'volumes': [{'name': 'd', 'persistentVolumeClaim': {'claimName': 'elastic'}}]}
    core.create_namespaced_pod(NS, {'metadata': {'name': 'user'}, 'spec': spec})
    until('running', lambda: core.read_namespaced_pod('user', NS).status.phase == 'Running')
    core.delete_namespaced_persistent_volume_claim('elastic', NS)
    time.sleep(0.1)
    assert read('elastic').metadata.deletion_timestamp is not None
    core.delete_namespaced_pod('user', NS)
    until('gone with the pod', lambda: gone('elastic'))


@check('a volume whose claim is gone is released, and keeps who it was')
def _():
    until('released', lambda: core.read_persistent_volume('elastic').status.phase == 'Released')
    assert core.read_persistent_volume('elastic').spec.claim_ref.name == 'elastic'


@check('a claim whose volume is gone is lost')
def _():
    core.patch_persistent_volume('rigid', {'metadata': {'finalizers': None}})
    core.delete_persistent_volume('rigid')
    core.patch_persistent_volume('size-small', {'metadata': {'finalizers': None}})
    core.delete_persistent_volume('size-small')
    until('lost', lambda: read('rigid').status.phase == 'Lost')


@check('what a class promises is fixed')
def _():
    for part in ({'parameters': {'a': 'b'}}, {'provisioner': 'other'}, {'reclaimPolicy': 'Retain'}, {'volumeBindingMode': 'WaitForFirstConsumer'}):
        refused(422, lambda: storage.patch_storage_class('fast', part), 'are forbidden')
    assert storage.patch_storage_class('fast', {'allowVolumeExpansion': True}).allow_volume_expansion


# --- quotas

@check('a quota is enforced on bytes, in the platform\'s words')
def _():
    core.create_namespace({'metadata': {'name': 'lean'}})
    core.create_namespaced_resource_quota('lean', {'metadata': {'name': 'storage'}, 'spec': {'hard': {'requests.storage': '12Gi'}}})
    make('first', namespace='lean')
    told = refused(403, lambda: make('second', size='8Gi', namespace='lean'), 'exceeded quota: storage, requested: requests.storage=8Gi, used: requests.storage=5Gi, limited: requests.storage=12Gi', 'Forbidden')
    assert told['details']['name'] == 'second'


@check('a quota is enforced on the number of claims')
def _():
    core.create_namespaced_resource_quota('lean', {'metadata': {'name': 'number'}, 'spec': {'hard': {'persistentvolumeclaims': '2'}}})
    make('third', size='1Gi', namespace='lean')
    refused(403, lambda: make('fourth', size='1Gi', namespace='lean'), 'exceeded quota: number, requested: persistentvolumeclaims=1, used: persistentvolumeclaims=2')


@check('a quota of one class leaves others alone')
def _():
    core.create_namespace({'metadata': {'name': 'classy'}})
    hard = {'fast.storageclass.storage.k8s.io/requests.storage': '6Gi'}
    core.create_namespaced_resource_quota('classy', {'metadata': {'name': 'fast'}, 'spec': {'hard': hard}})
    make('a', namespace='classy')
    refused(403, lambda: make('b', namespace='classy'), 'exceeded quota')
    make('c', cls='fixed', size='100Gi', namespace='classy')


@check('a quota counts what is used')
def _():
    until('counted', lambda: (core.read_namespaced_resource_quota('storage', 'lean').status.used or {}).get('requests.storage') == '6Gi')


@check('a quota is enforced on growth')
def _():
    core.create_persistent_volume(volume('lean', '40Gi', claimRef={'namespace': 'lean', 'name': 'first'}))
    until('bound', lambda: read('first', 'lean').status.phase == 'Bound')
    refused(403, lambda: patch('first', {'spec': {'resources': {'requests': {'storage': '30Gi'}}}}, namespace='lean'), 'exceeded quota')


@check('a quota lets go of what is deleted')
def _():
    core.delete_namespaced_persistent_volume_claim('third', 'lean')
    until('gone', lambda: gone('third', 'lean'))
    make('third-again', size='1Gi', namespace='lean')


# --- snapshots

@check('snapshots, their contents and their classes are objects')
def _():
    group = ('snapshot.storage.k8s.io', 'v1')
    custom.create_cluster_custom_object(*group, 'volumesnapshotclasses', {'metadata': {'name': 'daily'}, 'driver': 'plank.example', 'deletionPolicy': 'Delete'})
    body = {'apiVersion': '/'.join(group), 'kind': 'VolumeSnapshot', 'metadata': {'name': 'monday'},
            'spec': {'volumeSnapshotClassName': 'daily', 'source': {'persistentVolumeClaimName': 'wants'}}}
    custom.create_namespaced_custom_object(*group, NS, 'volumesnapshots', body)
    custom.create_cluster_custom_object(*group, 'volumesnapshotcontents', {'metadata': {'name': 'content'}, 'spec': {'driver': 'plank.example'}})
    assert custom.get_namespaced_custom_object(*group, NS, 'volumesnapshots', 'monday')['spec']['volumeSnapshotClassName'] == 'daily'
    assert len(custom.list_cluster_custom_object(*group, 'volumesnapshotcontents')['items']) == 1


print(json.dumps(outcomes))
