// Uploads a bundle into the stand-in store as its protocol wants it, and does nothing else: node bare-upload.mjs <address> <account> <app> <file>
import { sign } from 'node:crypto';
import { createReadStream, readFileSync, statSync } from 'node:fs';
import { request } from 'node:http';

const [address, accountFile, app, file] = process.argv.slice(2);
const {
  client_email: iss,
  private_key: key,
  private_key_id: kid,
} = JSON.parse(readFileSync(accountFile, 'utf8'));
const part = (value) => Buffer.from(JSON.stringify(value)).toString('base64url');
const iat = Math.floor(Date.now() / 1000);
const scope = 'https://www.googleapis.com/auth/androidpublisher';
const head = `${part({ alg: 'RS256', typ: 'JWT', kid })}.${part({ iss, scope, aud: `${address}/token`, iat, exp: iat + 600 })}`;
const assertion = `${head}.${sign('sha256', Buffer.from(head), key).toString('base64url')}`;
const form = new URLSearchParams({ grant_type: 'urn:ietf:params:oauth:grant-type:jwt-bearer', assertion });
const { access_token: token } = await (
  await fetch(`${address}/token`, { method: 'POST', body: form })
).json();
const authorization = `Bearer ${token}`;
const api = `/androidpublisher/v3/applications/${app}/edits`;
const json = { authorization, 'content-type': 'application/json' };
const { id } = await (await fetch(address + api, { method: 'POST', headers: json, body: '{}' })).json();
const { size } = statSync(file);
const begun = await fetch(`${address}/upload${api}/${id}/bundles?uploadType=resumable`, {
  method: 'POST',
  headers: { authorization, 'x-upload-content-length': String(size) },
});
const url = new URL(begun.headers.get('location'), address);
const status = await new Promise((resolve, reject) => {
  const type = 'application/octet-stream';
  const headers = {
    authorization,
    'content-type': type,
    'content-length': size,
    'content-range': `bytes 0-${size - 1}/${size}`,
  };
  const call = request(url, { method: 'PUT', headers }, (answer) => {
    answer.resume();
    answer.on('end', () => resolve(answer.statusCode));
  });
  call.on('error', reject);
  createReadStream(file, { highWaterMark: 512 * 1024 }).pipe(call);
});
if (status !== 200) throw new Error(`the stand-in answers ${status}`);
