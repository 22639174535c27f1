"""Reads a stand-in with a client for the standard that nobody here wrote; prints what it found as JSON."""
import json
import sys

import sushy
from sushy import auth

address, user, password = sys.argv[1:4]
root = sushy.Sushy(address + '/redfish/v1', auth=auth.SessionOrBasicAuth(user, password))
found = {'version': root.redfish_version, 'systems': [], 'chassis': [], 'drives': [], 'volumes': []}
for system in root.get_system_collection().get_members():
    found['systems'].append(system.identity)
    if 'Storage' not in system.json:
        continue
    for storage in system.storage.get_members():
        found['drives'] += [[d.identity, d.capacity_bytes, d.media_type] for d in storage.drives]
        found['volumes'] += [[v.identity, v.capacity_bytes] for v in storage.volumes.get_members()]
found['chassis'] = [c.identity for c in root.get_chassis_collection().get_members()]
print(json.dumps(found))
