"""Reads and changes quota objects as any client of the platform would. Usage: quota-client.py SERVER NAMESPACE [ITEM QUANTITY]"""
import json
import sys
from kubernetes import client

configuration = client.Configuration()
configuration.host = sys.argv[1]
core = client.CoreV1Api(client.ApiClient(configuration))
namespace = sys.argv[2]
if len(sys.argv) > 3:
    [quota] = core.list_namespaced_resource_quota(namespace).items
    core.patch_namespaced_resource_quota(quota.metadata.name, namespace, {"spec": {"hard": {sys.argv[3]: sys.argv[4]}}})
found = core.list_namespaced_resource_quota(namespace).items
print(json.dumps([{"name": q.metadata.name, "hard": q.spec.hard, "used": q.status.used if q.status else None} for q in found]))
