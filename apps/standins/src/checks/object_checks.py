"""Holds the object interface of a stand-in to its protocol, with an ordinary client library of it. Prints the outcome as JSON."""
import json
import sys
import urllib.request

import boto3
from botocore.config import Config
from botocore.exceptions import ClientError

address, user, password, guest, secret = sys.argv[1:6]
outcomes = []


def client(key, word):
    return boto3.client('s3', endpoint_url=address, aws_access_key_id=key, aws_secret_access_key=word, region_name='us-east-1',
                        config=Config(s3={'addressing_style': 'path'}, retries={'max_attempts': 0}))


log = {'Bucket': 'harbour-log'}
s3, other = client(user, password), client(guest, secret)


def check(told):
    def run(work):
        try:
            work()
            outcomes.append({'name': told, 'ok': True})
        except Exception as error:  # every failure is an outcome that is told
            outcomes.append({'name': told, 'ok': False, 'detail': f'{type(error).__name__}: {str(error)[:600]}'})
        return work
    return run


def refused(code, call, **arguments):
    try:
        call(**arguments)
    except ClientError as error:
        assert error.response['Error']['Code'] == code, error.response
        return
    raise AssertionError(f'not refused with {code}')


@check('a bucket is made, listed, and made again by its owner')
def _():
    s3.create_bucket(Bucket='harbour-log', CreateBucketConfiguration={'LocationConstraint': 'kelp-deep'})
    assert 'harbour-log' in [b['Name'] for b in s3.list_buckets()['Buckets']]
    refused('BucketAlreadyOwnedByYou', s3.create_bucket, Bucket='harbour-log')
    assert s3.get_bucket_location(Bucket='harbour-log')['LocationConstraint'] == 'kelp-deep'


@check('names that are none, and places that are none, are refused')
def _():
    refused('InvalidLocationConstraint', s3.create_bucket, Bucket='elsewhere', CreateBucketConfiguration={'LocationConstraint': 'nowhere'})
    refused('NoSuchBucket', s3.list_objects_v2, **{'Bucket': 'nobody-made-it'})


@check('what is put is got, with its type and metadata, whatever its name')
def _():
    key = 'soundings/2026 winter/ä+b&c=d~e(1)*.txt'
    s3.put_object(**log, Key=key, Body=b'seven fathoms', ContentType='text/plain', Metadata={'ship': 'heron'})
    got = s3.get_object(**log, Key=key)
    assert got['Body'].read() == b'seven fathoms'
    assert got['ContentType'].startswith('text/plain') and got['Metadata'] == {'ship': 'heron'}, got
    assert s3.head_object(**log, Key=key)['ContentLength'] == 13
    assert s3.list_objects_v2(**log, Prefix='soundings/')['Contents'][0]['Key'] == key
    s3.delete_object(**log, Key=key)
    refused('NoSuchKey', s3.get_object, **log, Key=key)


@check('a list comes in pages, in the order of the keys, in both forms, and by folders')
def _():
    names = [f'day/{n:04}' for n in range(25)]
    for name in names:
        s3.put_object(**log, Key=name, Body=b'x')
    for form in ['list_objects_v2', 'list_objects']:
        pages = list(s3.get_paginator(form).paginate(Bucket='harbour-log', PaginationConfig={'PageSize': 10}))
        assert [len(p['Contents']) for p in pages] == [10, 10, 5], form
        assert [o['Key'] for p in pages for o in p['Contents']] == names, form
    s3.put_object(**log, Key='night/1', Body=b'x')
    folders = s3.list_objects_v2(**log, Delimiter='/')
    assert [p['Prefix'] for p in folders['CommonPrefixes']] == ['day/', 'night/'], folders
    gone = s3.delete_objects(**log, Delete={'Objects': [{'Key': n} for n in [*names, 'night/1']]})
    assert len(gone['Deleted']) == 26


@check('an object in parts is put together; one that is given up leaves nothing')
def _():
    part = b'a' * (5 * 2 ** 20)
    begun = s3.create_multipart_upload(Bucket='harbour-log', Key='large')['UploadId']
    tags = [s3.upload_part(Bucket='harbour-log', Key='large', UploadId=begun, PartNumber=n + 1, Body=b)['ETag'] for n, b in enumerate([part, b'end'])]
    parts = [{'PartNumber': n + 1, 'ETag': tag} for n, tag in enumerate(tags)]
    refused('InvalidPart', s3.complete_multipart_upload, Bucket='harbour-log', Key='large', UploadId=begun,
            MultipartUpload={'Parts': [{'PartNumber': 3, 'ETag': tags[0]}]})
    done = s3.complete_multipart_upload(Bucket='harbour-log', Key='large', UploadId=begun, MultipartUpload={'Parts': parts})
    assert done['ETag'].endswith('-2"'), done
    assert s3.get_object(**log, Key='large')['Body'].read() == part + b'end'
    left = s3.create_multipart_upload(Bucket='harbour-log', Key='left')['UploadId']
    s3.abort_multipart_upload(Bucket='harbour-log', Key='left', UploadId=left)
    refused('NoSuchUpload', s3.upload_part, Bucket='harbour-log', Key='left', UploadId=left, PartNumber=1, Body=b'x')


@check('a bucket that holds something is not removed')
def _():
    refused('BucketNotEmpty', s3.delete_bucket, Bucket='harbour-log')


@check('nobody else reads or writes, until a policy lets them; what it denies stays denied')
def _():
    refused('AccessDenied', other.list_objects_v2, **log)
    refused('AccessDenied', other.create_bucket, Bucket='my-own')
    arns = ['arn:aws:s3:::harbour-log', 'arn:aws:s3:::harbour-log/*']
    allow = {'Effect': 'Allow', 'Principal': {'AWS': [guest]}, 'Action': ['s3:ListBucket', 's3:GetObject', 's3:PutObject'], 'Resource': arns}
    s3.put_bucket_policy(Bucket='harbour-log', Policy=json.dumps({'Version': '2012-10-17', 'Statement': [allow]}))
    other.put_object(**log, Key='guest', Body=b'hello')
    assert other.get_object(**log, Key='guest')['Body'].read() == b'hello'
    refused('AccessDenied', other.delete_object, **log, Key='guest')
    deny = {'Effect': 'Deny', 'Principal': '*', 'Action': 's3:PutObject', 'Resource': arns[1]}
    s3.put_bucket_policy(Bucket='harbour-log', Policy=json.dumps({'Version': '2012-10-17', 'Statement': [allow, deny]}))
    refused('AccessDenied', other.put_object, **log, Key='guest', Body=b'again')
    s3.delete_bucket_policy(Bucket='harbour-log')
    refused('AccessDenied', other.get_object, **log, Key='guest')


@check('a policy that is none is refused')
def _():
    refused('MalformedPolicy', s3.put_bucket_policy, Bucket='harbour-log', Policy='{')


@check('a wrong secret, an unknown key and an unsigned request are refused')
def _():
    refused('SignatureDoesNotMatch', client(user, 'wrong').list_buckets)
    refused('InvalidAccessKeyId', client('nobody', 'wrong').list_buckets)
    try:
        urllib.request.urlopen(address + '/harbour-log')
        raise AssertionError('not refused')
    except urllib.error.HTTPError as error:
        assert error.code == 403 and b'AccessDenied' in error.read()


@check('an empty bucket is removed')
def _():
    for listed in s3.list_objects_v2(**log).get('Contents', []):
        s3.delete_object(**log, Key=listed['Key'])
    s3.delete_bucket(Bucket='harbour-log')
    refused('NoSuchBucket', s3.delete_bucket, Bucket='harbour-log')


print(json.dumps(outcomes))
