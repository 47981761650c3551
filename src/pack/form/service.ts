import { unitArgument, unitValue } from '../../escape/unit-file.js'
import { codeFiles, environmentExample, type Form, httpEnvironment, plainName } from '../form.js'
import type { Packed } from '../pack-kit.js'

/** A systemd unit with few permissions, and the file that it starts. */
export const serviceForm: Form = {
  about: 'a hardened unit for systemd',
  files: (packed, { publicUrl }) => [
    ...codeFiles(packed),
    { path: `${plainName(packed.kit.name)}.service`, text: unit(packed) },
    { path: '.env.example', text: environmentExample(packed, httpEnvironment(publicUrl)) },
  ],
  next: ({ kit, fileName }, folder) => {
    const name = plainName(kit.name)
    return [
      `sudo install -D -m 644 -t /opt/${name} ${folder}/${fileName} ${folder}/${fileName}.map`,
      `sudo install -m 600 ${folder}/.env.example /etc/${name}.env   and fill it in`,
      `sudo install -m 644 ${folder}/${name}.service /etc/systemd/system/`,
      `sudo systemctl enable --now ${name}`,
    ]
  },
}

function unit({ kit, fileName }: Packed): string {
  const name = plainName(kit.name)
  return `[Unit]
Description=${unitValue(`${kit.title ?? kit.name} ${kit.version}`)}, a Model Context Protocol server
After=network-online.target
Wants=network-online.target

[Service]
Type=exec
ExecStart=/usr/bin/node ${unitArgument(`/opt/${name}/${fileName}`)} --http
Environment=NODE_ENV=production JEXO_LOG=json JEXO_PORT=4870
# JEXO_PUBLIC_URL, JEXO_TOKEN (or JEXO_ISSUER if callers sign in) and the settings of the kit. JEXO_PORT and JEXO_HOST change the address.
EnvironmentFile=-/etc/${name}.env
Restart=on-failure
RestartSec=2
# Running calls finish first.
KillSignal=SIGTERM
TimeoutStopSec=15

DynamicUser=yes
StateDirectory=${name}
WorkingDirectory=/var/lib/${name}
UMask=0077
NoNewPrivileges=yes
CapabilityBoundingSet=
AmbientCapabilities=
ProtectSystem=strict
ProtectHome=yes
PrivateTmp=yes
PrivateDevices=yes
ProtectClock=yes
ProtectHostname=yes
ProtectKernelLogs=yes
ProtectKernelModules=yes
ProtectKernelTunables=yes
ProtectControlGroups=yes
ProtectProc=invisible
RestrictAddressFamilies=AF_INET AF_INET6 AF_UNIX
RestrictNamespaces=yes
RestrictRealtime=yes
RestrictSUIDSGID=yes
LockPersonality=yes
RemoveIPC=yes
SystemCallArchitectures=native
SystemCallFilter=@system-service
SystemCallErrorNumber=EPERM
MemoryMax=512M
TasksMax=128

[Install]
WantedBy=multi-user.target
`
}
