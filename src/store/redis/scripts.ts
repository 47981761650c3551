import { eventLimits, mostSubscriptions } from '../store.js'

/*
 * What is done in one step, in Redis. KEYS[1] is the prefix of all keys of one server:
 *   s:<session>   state            sessions  session → when it ends      uri:<uri>  session → when it ends
 *   by:<uri>      session → member that it has subscribed by                  u:<session>  URIs
 *   e:<session>   events           x:<session>  number of the last event of each stream, of what each member delivered; characters kept
 *   r:<session>   stream → member that reads it      st:<session>  standing streams, newest last      w:<session>  what waits for one
 *   m:<member>    there while it lives               c:<member>, c:all  channels
 *   t:<task>      record           tasks  task → when it ends            to:<owner>  task → number
 *   k:<name>      counters
 */
const shared = `
local P = KEYS[1]
local function now() local t = redis.call('TIME') return t[1] * 1000 + math.floor(t[2] / 1000) end
local function isReady(v) return v and string.sub(v, 1, 6) == 'ready ' end
local function drop(id)
  for _, k in ipairs({ 's:', 'e:', 'x:', 'r:', 'st:', 'w:', 'u:' }) do redis.call('DEL', P .. k .. id) end
  return redis.call('ZREM', P .. 'sessions', id)
end
local function prolong(id)
  local ttl = redis.call('PTTL', P .. 's:' .. id)
  if ttl < 0 then ttl = 0 end
  for _, k in ipairs({ 'e:', 'x:', 'r:', 'st:', 'w:' }) do redis.call('PEXPIRE', P .. k .. id, ttl + 60000) end
end
local function keep(id, stream, sequence, data, last)
  local e, x = P .. 'e:' .. id, P .. 'x:' .. id
  redis.call('XADD', e, '*', 's', stream, 'n', sequence, 'd', data, 'l', last)
  local characters, kept = redis.call('HINCRBY', x, 'chars', #data), redis.call('XLEN', e)
  while kept > ${eventLimits.most} or (characters > ${eventLimits.mostCharacters} and kept > 1) do
    local first = redis.call('XRANGE', e, '-', '+', 'COUNT', 1)[1]
    redis.call('XDEL', e, first[1])
    characters = redis.call('HINCRBY', x, 'chars', 0 - #first[2][6])
    kept = kept - 1
  end
end
local function send(member, id, stream, sequence, data, last)
  local mail = { kind = 'event', session = id, stream = stream, sequence = tonumber(sequence), data = data, isLast = last == '1' }
  redis.call('PUBLISH', P .. 'c:' .. member, cjson.encode(mail))
end
local function put(id, stream, data)
  local sequence = redis.call('HINCRBY', P .. 'x:' .. id, 'n:' .. stream, 1)
  keep(id, stream, sequence, data, '0')
  return sequence
end
local function readBy(id, stream, member, most)
  local r, st = P .. 'r:' .. id, P .. 'st:' .. id
  if redis.call('HEXISTS', r, stream) == 0 and redis.call('HLEN', r) >= most then return false end
  redis.call('HSET', r, stream, member)
  while redis.call('LLEN', st) > 2 * most do
    local old = redis.call('LPOP', st)
    redis.call('HDEL', P .. 'x:' .. id, 'n:' .. old)
  end
  return true
end
local function takeWaiting(id, stream)
  local w = P .. 'w:' .. id
  for _, data in ipairs(redis.call('LRANGE', w, 0, -1)) do put(id, stream, data) end
  redis.call('DEL', w)
end
local function after(id, stream, sequence)
  local found = {}
  for _, entry in ipairs(redis.call('XRANGE', P .. 'e:' .. id, '-', '+')) do
    local f = entry[2]
    if f[2] == stream and tonumber(f[4]) > sequence then
      found[#found + 1] = f[4] found[#found + 1] = f[6] found[#found + 1] = f[8]
    end
  end
  return found
end
`

const bodies = {
  /** id, state, ttl, most, spare → [isOpen, ended] */
  openSession: `
    local id, ttl, t = ARGV[1], tonumber(ARGV[3]), now()
    local all = P .. 'sessions'
    -- First what needs memory: a script that has written anything is not stopped any more.
    redis.call('SET', P .. 's:' .. id, ARGV[2], 'PX', ttl)
    redis.call('ZREMRANGEBYSCORE', all, '-inf', t)
    local ended = ''
    if redis.call('ZCARD', all) >= tonumber(ARGV[4]) then
      local oldest = redis.call('ZRANGE', all, 0, 0, 'WITHSCORES')
      if not oldest[2] or tonumber(oldest[2]) > t + tonumber(ARGV[5]) then
        redis.call('DEL', P .. 's:' .. id)
        return { 0, '' }
      end
      ended = oldest[1]
      drop(ended)
    end
    redis.call('ZADD', all, t + ttl, id)
    return { 1, ended }`,
  /** id, ttl → state */
  readSession: `
    local v = redis.call('GET', P .. 's:' .. ARGV[1])
    if isReady(v) then
      redis.call('PEXPIRE', P .. 's:' .. ARGV[1], ARGV[2])
      redis.call('ZADD', P .. 'sessions', now() + ARGV[2], ARGV[1])
    end
    return v`,
  /** id, before, after, ttl → state */
  exchangeSession: `
    local s = P .. 's:' .. ARGV[1]
    local v = redis.call('GET', s)
    if v ~= ARGV[2] then return v end
    redis.call('SET', s, ARGV[3], 'PX', ARGV[4])
    redis.call('ZADD', P .. 'sessions', now() + ARGV[4], ARGV[1])
    return ARGV[3]`,
  /** ttl, ids… */
  touchSessions: `
    local ttl, t = tonumber(ARGV[1]), now()
    for i = 2, #ARGV do
      local id = ARGV[i]
      if isReady(redis.call('GET', P .. 's:' .. id)) then
        redis.call('PEXPIRE', P .. 's:' .. id, ttl)
        redis.call('ZADD', P .. 'sessions', t + ttl, id)
        prolong(id)
        for _, uri in ipairs(redis.call('SMEMBERS', P .. 'u:' .. id)) do
          redis.call('ZADD', P .. 'uri:' .. uri, t + 2 * ttl, id)
          redis.call('PEXPIRE', P .. 'uri:' .. uri, 2 * ttl)
          redis.call('PEXPIRE', P .. 'by:' .. uri, 2 * ttl)
        end
        redis.call('PEXPIRE', P .. 'u:' .. id, 2 * ttl)
      end
    end`,
  /** id → 1 if there was such a session */
  endSession: `return drop(ARGV[1])`,
  allSessions: `
    redis.call('ZREMRANGEBYSCORE', P .. 'sessions', '-inf', now())
    return redis.call('ZRANGE', P .. 'sessions', 0, -1)`,
  countSessions: `
    redis.call('ZREMRANGEBYSCORE', P .. 'sessions', '-inf', now())
    return redis.call('ZCARD', P .. 'sessions')`,
  /** id, uri, ttl, member → 1 if there is room */
  subscribe: `
    local uri, by, u = P .. 'uri:' .. ARGV[2], P .. 'by:' .. ARGV[2], P .. 'u:' .. ARGV[1]
    if redis.call('SCARD', u) >= ${mostSubscriptions} and redis.call('SISMEMBER', u, ARGV[2]) == 0 then return 0 end
    redis.call('ZADD', uri, now() + 2 * ARGV[3], ARGV[1])
    redis.call('HSET', by, ARGV[1], ARGV[4])
    redis.call('SADD', u, ARGV[2])
    for _, k in ipairs({ uri, by, u }) do redis.call('PEXPIRE', k, 2 * ARGV[3]) end
    return 1`,
  /** id, uri */
  unsubscribe: `
    redis.call('ZREM', P .. 'uri:' .. ARGV[2], ARGV[1])
    redis.call('HDEL', P .. 'by:' .. ARGV[2], ARGV[1])
    redis.call('SREM', P .. 'u:' .. ARGV[1], ARGV[2])`,
  /** uri, member or nothing → ids */
  subscribers: `
    local uri, by, found = P .. 'uri:' .. ARGV[1], P .. 'by:' .. ARGV[1], {}
    redis.call('ZREMRANGEBYSCORE', uri, '-inf', now())
    for _, id in ipairs(redis.call('ZRANGE', uri, 0, -1)) do
      if redis.call('EXISTS', P .. 's:' .. id) == 0 then
        redis.call('ZREM', uri, id)
        redis.call('HDEL', by, id)
      elseif ARGV[2] == '' then found[#found + 1] = id
      else
        local member = redis.call('HGET', by, id)
        if member == ARGV[2] or not member or redis.call('EXISTS', P .. 'm:' .. member) == 0 then
          redis.call('HSET', by, id, ARGV[2])
          found[#found + 1] = id
        end
      end
    end
    return found`,
  /** session, stream, member, isPrimed, most → events, or nothing */
  stand: `
    local id, stream = ARGV[1], ARGV[2]
    if not readBy(id, stream, ARGV[3], tonumber(ARGV[5])) then return false end
    redis.call('RPUSH', P .. 'st:' .. id, stream)
    if ARGV[4] == '1' then put(id, stream, '') end
    takeWaiting(id, stream)
    prolong(id)
    return after(id, stream, 0)`,
  /** session, stream, member, sequence, data, isLast → reader */
  append: `
    local id, stream = ARGV[1], ARGV[2]
    local x, sequence = P .. 'x:' .. id, tonumber(ARGV[4])
    if tonumber(redis.call('HGET', x, 'n:' .. stream) or '0') < sequence then
      redis.call('HSET', x, 'n:' .. stream, sequence)
      keep(id, stream, ARGV[4], ARGV[5], ARGV[6])
      if ARGV[6] == '1' then redis.call('HDEL', x, 'n:' .. stream) end
    end
    prolong(id)
    local reader = redis.call('HGET', P .. 'r:' .. id, stream)
    if reader and reader ~= ARGV[3] then send(reader, id, stream, ARGV[4], ARGV[5], ARGV[6]) end
    return reader`,
  /** session, data, most waiting, member, number → 1 if it was taken */
  deliver: `
    local id, data = ARGV[1], ARGV[2]
    if not isReady(redis.call('GET', P .. 's:' .. id)) then return 0 end
    local x, from = P .. 'x:' .. id, 'd:' .. ARGV[4]
    if tonumber(ARGV[5]) <= tonumber(redis.call('HGET', x, from) or '0') then return 1 end
    redis.call('HSET', x, from, ARGV[5])
    local standing = redis.call('LRANGE', P .. 'st:' .. id, 0, -1)
    for i = #standing, 1, -1 do
      local reader = redis.call('HGET', P .. 'r:' .. id, standing[i])
      if reader and redis.call('EXISTS', P .. 'm:' .. reader) == 1 then
        local sequence = put(id, standing[i], data)
        prolong(id)
        send(reader, id, standing[i], sequence, data, '0')
        return 1
      end
    end
    local w = P .. 'w:' .. id
    if not redis.call('LPOS', w, data) then
      redis.call('RPUSH', w, data)
      redis.call('LTRIM', w, -tonumber(ARGV[3]), -1)
    end
    prolong(id)
    return 1`,
  /** session, stream, after, member, most → events, or nothing */
  resume: `
    local id, stream = ARGV[1], ARGV[2]
    local isStanding = redis.call('LPOS', P .. 'st:' .. id, stream)
    if not isStanding and #after(id, stream, 0) == 0 then return false end
    if not readBy(id, stream, ARGV[4], tonumber(ARGV[5])) then return false end
    if isStanding then takeWaiting(id, stream) end
    prolong(id)
    return after(id, stream, tonumber(ARGV[3]))`,
  /** session, stream, after → events */
  eventsAfter: `return after(ARGV[1], ARGV[2], tonumber(ARGV[3]))`,
  /** session, stream, member */
  leaveStream: `
    local r = P .. 'r:' .. ARGV[1]
    if redis.call('HGET', r, ARGV[2]) == ARGV[3] then redis.call('HDEL', r, ARGV[2]) end`,
  /** task, record, owner, ttl, most → 1 if there is room */
  createTask: `
    local t, ttl = now(), tonumber(ARGV[4])
    redis.call('SET', P .. 't:' .. ARGV[1], ARGV[2], 'PX', ttl)
    redis.call('ZREMRANGEBYSCORE', P .. 'tasks', '-inf', t)
    if redis.call('ZCARD', P .. 'tasks') >= tonumber(ARGV[5]) then
      redis.call('DEL', P .. 't:' .. ARGV[1])
      return 0
    end
    redis.call('ZADD', P .. 'tasks', t + ttl, ARGV[1])
    local own = P .. 'to:' .. ARGV[3]
    redis.call('ZADD', own, redis.call('INCR', P .. 'task-number'), ARGV[1])
    if redis.call('PTTL', own) < ttl then redis.call('PEXPIRE', own, ttl) end
    return 1`,
  /** task, before, after → 1 if it was as before */
  exchangeTask: `
    local t = P .. 't:' .. ARGV[1]
    if redis.call('GET', t) ~= ARGV[2] then return 0 end
    redis.call('SET', t, ARGV[3], 'KEEPTTL')
    return 1`,
  /** owner, after, most → [number, task, record …], of one more than the most */
  listTasks: `
    local own, found = P .. 'to:' .. ARGV[1], {}
    local most = tonumber(ARGV[3])
    local ids = redis.call('ZRANGEBYSCORE', own, '(' .. ARGV[2], '+inf', 'WITHSCORES')
    for i = 1, #ids, 2 do
      local record = redis.call('GET', P .. 't:' .. ids[i])
      if not record then redis.call('ZREM', own, ids[i])
      elseif #found < 3 * (most + 1) then
        found[#found + 1] = ids[i + 1] found[#found + 1] = ids[i] found[#found + 1] = record
      else break end
    end
    return found`,
  /** name, per ms → [count, ms until it begins again] */
  take: `
    local k = P .. 'k:' .. ARGV[1]
    local count = redis.call('INCR', k)
    local left = redis.call('PTTL', k)
    if left < 0 then redis.call('PEXPIRE', k, ARGV[2]) left = tonumber(ARGV[2]) end
    return { count, left }`,
} as const

export type ScriptName = keyof typeof bodies

/** The scripts as ioredis takes them. */
export const scripts = Object.fromEntries(
  Object.entries(bodies).map(([name, body]) => [name, { numberOfKeys: 1, lua: shared + body }]),
) as Record<ScriptName, { numberOfKeys: number; lua: string }>
