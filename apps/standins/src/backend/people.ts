import { randomBytes, randomUUID } from 'node:crypto';
import type { Express } from 'express';
import { missing, notFound, RedfishError } from './errors';
import type { Account, Backend } from './model';
import { collection, link, root } from './service-views';

interface Session {
  readonly id: string;
  readonly user: string;
}

const privileges = {
  Administrator: ['Login', 'ConfigureComponents', 'ConfigureManager'],
  ReadOnly: ['Login'],
  NoAccess: [],
};

/** Sessions, accounts and roles: who may read and who may change. */
export function people(app: Express, backend: Backend): void {
  const sessions = new Map<string, Session>();
  const sessionsPath = `${root}/SessionService/Sessions`;
  const known = (user: string | undefined, password: string | undefined) => {
    const account = user === undefined ? undefined : backend.accounts.get(user);
    // an account for objects alone manages nothing
    return account && account.password === password && account.role !== 'NoAccess' ? account : undefined;
  };
  app.post(sessionsPath, (req, res) => {
    const { UserName, Password } = req.body as { UserName?: string; Password?: string };
    const account = known(UserName, Password);
    if (!account || !UserName)
      throw new RedfishError(
        401,
        'ResourceAtUriUnauthorized',
        'While accessing the resource the credentials were refused.',
      );
    const token = randomBytes(16).toString('hex');
    const id = randomUUID().slice(0, 8);
    sessions.set(token, { id, user: UserName });
    const path = `${sessionsPath}/${id}`;
    res.setHeader('X-Auth-Token', token);
    res
      .status(201)
      .location(path)
      .json({
        ...link(path),
        '@odata.type': '#Session.v1_7_0.Session',
        Id: id,
        Name: 'Session',
        UserName,
        Roles: [account.role],
      });
  });
  app.use((req, _res, next) => {
    const basic = /^Basic (.+)$/.exec(req.header('Authorization') ?? '')?.[1];
    const [user, password] = basic ? Buffer.from(basic, 'base64').toString('utf8').split(':') : [];
    const session = sessions.get(req.header('X-Auth-Token') ?? '');
    const account = session ? backend.accounts.get(session.user) : known(user, password);
    if (!account)
      throw new RedfishError(401, 'NoValidSession', 'There is no valid session established with the implementation.');
    const leaving = req.method === 'DELETE' && req.path.startsWith(sessionsPath);
    if (req.method !== 'GET' && account.role === 'ReadOnly' && !leaving)
      throw new RedfishError(
        403,
        'InsufficientPrivilege',
        'There are insufficient privileges for the account or credentials associated with the current session to perform the requested operation.',
      );
    next();
  });
  app.get(`${root}/SessionService`, (_req, res) => {
    res.json({
      ...link(`${root}/SessionService`),
      '@odata.type': '#SessionService.v1_1_9.SessionService',
      Id: 'SessionService',
      Name: 'Sessions',
      ServiceEnabled: true,
      Sessions: link(sessionsPath),
    });
  });
  app.get(sessionsPath, (_req, res) => {
    res.json(
      collection(
        'Session',
        sessionsPath,
        'Sessions',
        [...sessions.values()].map((s) => link(`${sessionsPath}/${s.id}`)),
      ),
    );
  });
  app.get(`${sessionsPath}/:id`, (req, res) => {
    const session = [...sessions.values()].find((s) => s.id === req.params.id);
    if (!session) throw notFound('Session', req.params.id);
    const { id, user } = session;
    res.json({
      ...link(`${sessionsPath}/${id}`),
      '@odata.type': '#Session.v1_7_0.Session',
      Id: id,
      Name: 'Session',
      UserName: user,
      Roles: [backend.accounts.get(user)?.role],
    });
  });
  app.delete(`${sessionsPath}/:id`, (req, res) => {
    for (const [token, session] of sessions) if (session.id === req.params.id) sessions.delete(token);
    res.status(204).end();
  });
  const accounts = `${root}/AccountService`;
  app.get(accounts, (_req, res) => {
    res.json({
      ...link(accounts),
      '@odata.type': '#AccountService.v1_15_1.AccountService',
      Id: 'AccountService',
      Name: 'Accounts',
      Accounts: link(`${accounts}/Accounts`),
      Roles: link(`${accounts}/Roles`),
    });
  });
  const accountOf = (name: string) => ({
    ...link(`${accounts}/Accounts/${name}`),
    '@odata.type': '#ManagerAccount.v1_12_1.ManagerAccount',
    Id: name,
    Name: 'Account',
    UserName: name,
    // never told again
    Password: null,
    RoleId: backend.accounts.get(name)!.role,
    Enabled: true,
    AccountTypes: ['Redfish'],
    Links: { Role: link(`${accounts}/Roles/${backend.accounts.get(name)!.role}`) },
  });
  const named = (name: string): string => {
    if (!backend.accounts.has(name)) throw notFound('ManagerAccount', name);
    return name;
  };
  app.get(`${accounts}/Accounts`, (_req, res) => {
    const listed = [...backend.accounts.keys()].map((name) => link(`${accounts}/Accounts/${name}`));
    res.json(collection('ManagerAccount', `${accounts}/Accounts`, 'Accounts', listed));
  });
  app.post(`${accounts}/Accounts`, (req, res) => {
    const { UserName, Password, RoleId } = req.body as {
      UserName?: string;
      Password?: string;
      RoleId?: Account['role'];
    };
    if (!UserName) throw missing('UserName');
    if (!Password) throw missing('Password');
    if (!RoleId || !(RoleId in privileges)) throw missing('RoleId');
    if (backend.accounts.has(UserName))
      throw new RedfishError(
        409,
        'ResourceAlreadyExists',
        `The requested resource of type ManagerAccount with the property UserName with the value '${UserName}' already exists.`,
      );
    backend.setAccount(UserName, { password: Password, role: RoleId });
    res.status(201).location(`${accounts}/Accounts/${UserName}`).json(accountOf(UserName));
  });
  app.get(`${accounts}/Accounts/:name`, (req, res) => {
    res.json(accountOf(named(req.params.name)));
  });
  app.patch(`${accounts}/Accounts/:name`, (req, res) => {
    const { Password } = req.body as { Password?: string };
    if (Password) backend.setPassword(named(req.params.name), Password);
    res.json(accountOf(named(req.params.name)));
  });
  app.delete(`${accounts}/Accounts/:name`, (req, res) => {
    backend.removeAccount(req.params.name);
    res.status(204).end();
  });
  app.get(`${accounts}/Roles`, (_req, res) => {
    const roles = Object.keys(privileges).map((r) => link(`${accounts}/Roles/${r}`));
    res.json(collection('Role', `${accounts}/Roles`, 'Roles', roles));
  });
  app.get(`${accounts}/Roles/:role`, (req, res) => {
    const assigned = privileges[req.params.role as keyof typeof privileges] as string[] | undefined;
    if (!assigned) throw notFound('Role', req.params.role);
    res.json({
      ...link(`${accounts}/Roles/${req.params.role}`),
      '@odata.type': '#Role.v1_3_1.Role',
      Id: req.params.role,
      Name: req.params.role,
      AssignedPrivileges: assigned,
    });
  });
}
