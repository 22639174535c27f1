"""An application that keeps objects: uses a bucket as the secret it was given says, with an ordinary client library. Prints what came of each act."""
import json
import sys

import boto3
from botocore.config import Config
from botocore.exceptions import ClientError

spec = json.loads(sys.argv[1])['spec']
keys = spec['secretS3']
mine = {'Bucket': spec['bucketName']}
s3 = boto3.client('s3', endpoint_url=keys['endpoint'], region_name=keys['region'], aws_access_key_id=keys['accessKeyID'],
                  aws_secret_access_key=keys['accessSecretKey'], config=Config(s3={'addressing_style': 'path'}, retries={'max_attempts': 0}))


def act(name, rest):
    if name == 'put':
        key, body = rest.split('=')
        s3.put_object(**mine, Key=key, Body=body.encode())
        return 'put'
    if name == 'parts':
        begun = {**mine, 'Key': rest, 'UploadId': s3.create_multipart_upload(**mine, Key=rest)['UploadId']}
        bodies = [b'a' * (5 * 2 ** 20), b'end']
        tags = [s3.upload_part(**begun, PartNumber=n + 1, Body=body)['ETag'] for n, body in enumerate(bodies)]
        s3.complete_multipart_upload(**begun, MultipartUpload={'Parts': [{'PartNumber': n + 1, 'ETag': tag} for n, tag in enumerate(tags)]})
        return 'parts'
    if name == 'get':
        return s3.get_object(**mine, Key=rest)['Body'].read().decode()
    if name == 'list':
        return ' '.join(o['Key'] for o in s3.list_objects_v2(**mine)['Contents'])
    if name == 'delete':
        s3.delete_object(**mine, Key=rest)
        return 'deleted'
    if name == 'look':
        return str(s3.list_objects_v2(**{'Bucket': rest})['KeyCount'])
    raise ValueError(name)


came = []
for asked in sys.argv[2:]:
    name, _, rest = asked.partition(':')
    try:
        came.append(act(name, rest))
    except ClientError as error:
        came.append(error.response['Error']['Code'])
print(json.dumps(came))
