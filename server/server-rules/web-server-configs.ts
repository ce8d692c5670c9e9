import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import type { RulesKind } from '../../core/contracts/server-rules.ts'
import { PID_FILE } from './left-rehearsals.ts'

/**
 * Modules that rules are written for, and what files of real sites use besides. None runs programs: what a rules file puts into their environment would be
 * code of its own. The one that hands requests on speaks SCGI only, and lines that would use it are not carried out (core/server-rules/usable-rules.ts).
 */
const MODULES = [
  'mpm_event',
  'authz_core',
  'authz_host',
  'access_compat',
  'mime',
  'dir',
  'env',
  'setenvif',
  'alias',
  'proxy',
  'proxy_scgi',
  'filter',
  'deflate',
  'brotli',
  'expires',
  'headers',
  'rewrite',
  'http2',
]

const isRoot = (): boolean => process.getuid?.() === 0
/** Whom the servers of Debian's packages run as; a rules file must not be read with the rights of control. */
const SERVER_USER = 'www-data'

/** Whom a rehearsal's files belong to, so that nobody else of this machine reads them; undefined: who runs control. */
export const serverUser = (): { readonly uid: number; readonly gid: number } | undefined => {
  if (!isRoot()) return undefined
  const line = readFileSync('/etc/passwd', 'utf8')
    .split('\n')
    .find((one) => one.startsWith(`${SERVER_USER}:`))
  const [, , uid, gid] = line?.split(':') ?? []
  return uid === undefined || gid === undefined ? undefined : { uid: Number(uid), gid: Number(gid) }
}

export const SITE = 'site'
export const RULES: Readonly<Record<RulesKind, string>> = {
  apache: join(SITE, '.htaccess'),
  nginx: 'rules.conf',
  'nginx-site': 'site-rules.conf',
}

const moduleLines = (folder: string): string =>
  [...MODULES, ...(isRoot() ? ['unixd'] : [])]
    .filter((name) => existsSync(join(folder, `mod_${name}.so`)))
    .map((name) => `LoadModule ${name}_module ${folder}/mod_${name}.so`)
    .join('\n')

/** Types as the real server names them, by extension; what it names otherwise than usual stands here. */
export type TypesByExtension = ReadonlyMap<string, string>

const TYPE = /^[\w!#$&^.+-]+\/[\w!#$&^.+-]+$/
const typeLines = (types: TypesByExtension, write: (type: string, extension: string) => string): string =>
  [...types]
    .filter(([, type]) => TYPE.test(type))
    .map(([extension, type]) => write(type, extension))
    .join('\n')

/**
 * Apache over the copy of a site: files from the folder, everything else from a server that hands out the copied answers by the address that was asked,
 * as a content system would.
 * @param modules folder of its modules @param copiesPort where that server listens
 * @param check the rules file as part of the configuration, so that the syntax check names its lines
 */
export const apacheConfig = (
  folder: string,
  modules: string,
  port: number,
  types: TypesByExtension,
  copiesPort: number,
  check = false,
): string => `
ServerRoot ${folder}
ServerName rehearsal.invalid
PidFile ${folder}/${PID_FILE}
DefaultRuntimeDir ${folder}
Mutex pthread
Listen 127.0.0.1:${port}
ErrorLog ${folder}/error.log
LogLevel warn
${moduleLines(modules)}
${isRoot() ? `User ${SERVER_USER}\nGroup ${SERVER_USER}` : ''}
StartServers 1
ServerLimit 1
ThreadsPerChild 8
MaxRequestWorkers 8
${existsSync('/etc/mime.types') ? 'TypesConfig /etc/mime.types' : ''}
${typeLines(types, (type, extension) => `AddType ${type} ${extension}`)}
DocumentRoot ${folder}/${SITE}
TraceEnable Off
<Directory />
  AllowOverride None
  Require all denied
</Directory>
<Directory ${folder}/${SITE}>
  AllowOverride FileInfo AuthConfig Indexes Limit Nonfatal=Override
  Options FollowSymLinks
  Require all granted
  DirectoryIndex index.html index.php
  FallbackResource /index.php
  <Files "*.php">
    SetHandler "proxy:scgi://127.0.0.1:${copiesPort}"
  </Files>
${check ? `  Include ${folder}/${RULES.apache}` : ''}
</Directory>
`

/** nginx over the same copy. @param kind where the rules stand */
export const nginxConfig = (
  kind: RulesKind,
  folder: string,
  port: number,
  types: TypesByExtension,
  copiesPort: number,
): string => `
pid ${folder}/${PID_FILE};
error_log ${folder}/error.log;
${isRoot() ? `user ${SERVER_USER};` : ''}
worker_processes 1;
events { worker_connections 64; }
http {
  ${existsSync('/etc/nginx/mime.types') ? 'include /etc/nginx/mime.types;' : ''}
  types {
${typeLines(types, (type, extension) => `    ${type} ${extension.slice(1)};`)}
  }
  access_log off;
  client_body_temp_path ${folder}/body;
  proxy_temp_path ${folder}/proxy;
  fastcgi_temp_path ${folder}/fastcgi;
  uwsgi_temp_path ${folder}/uwsgi;
  scgi_temp_path ${folder}/scgi;
  ${kind === 'nginx' ? `include ${folder}/${RULES.nginx};` : ''}
  server {
    listen 127.0.0.1:${port};
    root ${folder}/${SITE};
    ${kind === 'nginx-site' ? `include ${folder}/${RULES['nginx-site']};` : ''}
    location / { try_files $uri @copies; }
    location @copies {
      scgi_pass 127.0.0.1:${copiesPort};
      scgi_param CONTENT_LENGTH 0;
      scgi_param SCGI 1;
      scgi_param REQUEST_METHOD $request_method;
      scgi_param REQUEST_URI $request_uri;
    }
  }
}
`
