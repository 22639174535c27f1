"""A client of the platform that knows nothing of this product: makes, scales, changes and deletes a stateful set. `client.py URL ACT`."""
import sys

from kubernetes import client

url, act = sys.argv[1:3]
config = client.Configuration(host=url)
apps = client.AppsV1Api(client.ApiClient(config))
NS, NAME = 'tide-gauges', 'logger'


def labels():
    return {'app': NAME}


if act == 'make':
    apps.create_namespaced_stateful_set(NS, client.V1StatefulSet(
        metadata=client.V1ObjectMeta(name=NAME),
        spec=client.V1StatefulSetSpec(
            replicas=2, service_name=NAME, selector=client.V1LabelSelector(match_labels=labels()),
            template=client.V1PodTemplateSpec(
                metadata=client.V1ObjectMeta(labels=labels()),
                spec=client.V1PodSpec(containers=[client.V1Container(name=NAME, image='example/logger:1')])),
            volume_claim_templates=[client.V1PersistentVolumeClaim(
                metadata=client.V1ObjectMeta(name='data'),
                spec=client.V1PersistentVolumeClaimSpec(
                    access_modes=['ReadWriteOnce'], storage_class_name='kept',
                    resources=client.V1VolumeResourceRequirements(requests={'storage': '2Gi'})
                    if hasattr(client, 'V1VolumeResourceRequirements') else client.V1ResourceRequirements(requests={'storage': '2Gi'})))])))
elif act == 'scale':
    apps.patch_namespaced_stateful_set_scale(NAME, NS, {'spec': {'replicas': 3}})
elif act == 'roll':
    apps.patch_namespaced_stateful_set(NAME, NS, {'spec': {'template': {'spec': {'containers': [{'name': NAME, 'image': 'example/logger:2'}]}}}})
elif act == 'delete':
    apps.delete_namespaced_stateful_set(NAME, NS, propagation_policy='Foreground')
