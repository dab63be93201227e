import { asksFor } from '../../gates/check.ts';
import type { Plan } from '../../plan/plan.ts';
import type { WrittenFile } from '../renderer.ts';

/** Beside the other files; haproxy reads it by a line of its own (`lua-load`), since it is no configuration. */
const askingPath = 'asking.lua';

/** haproxy puts a question four times before it calls a service silent (2.6), each with the whole time limit. */
const tries = 4;

/** Whether some gate asks a service, which haproxy does by a program of ours in its own language for such things. */
function isAsking({ roads }: Plan): boolean {
  return roads.some(({ gate }) => asksFor(gate, 'asks'));
}

export function loadLines(plan: Plan, current: string): string[] {
  return isAsking(plan) ? [`lua-load ${current}/${askingPath}`] : [];
}

/** Name of the action. Two maps in one haproxy have one each. */
export function askAction({ identity }: Plan): string {
  return `mile_marker_ask_${identity}`;
}

export function askingFiles(plan: Plan, seconds: number): WrittenFile[] {
  return isAsking(plan) ? [{ path: askingPath, content: program(plan, Math.floor((seconds * 1000) / tries)) }] : [];
}

const notAsked = [
  ...['host', 'connection', 'upgrade', 'expect', 'transfer-encoding', 'content-length', 'content-type'],
  ...['content-encoding', 'range', 'if-range', 'if-match', 'if-none-match', 'if-modified-since', 'if-unmodified-since'],
];
const notRelayed = [
  ...['connection', 'keep-alive', 'proxy-connection', 'trailer', 'transfer-encoding', 'upgrade', 'content-length'],
  ...['server', 'x-powered-by', 'strict-transport-security'],
];

/** The headers of a request and of an answer are tables that count from 0; those of a question count from 1 (Lua API of haproxy 2.6). */
function program(plan: Plan, timeoutMs: number): string {
  return `-- Written by Mile Marker (map ${plan.identity}) from your map. Do not edit it: \`mile-marker write\` replaces it.
-- Asks a service whether a request passes a gate. Whatever goes wrong lets nobody in.
local not_asked = { ${keys(notAsked)} }
local not_relayed = { ${keys(notRelayed)} }
local redirects = { [301] = true, [302] = true, [303] = true, [307] = true, [308] = true }

local function ask(txn, number, at, path, tell)
  local headers = {}
  for name, values in pairs(txn.http:req_get_headers()) do
    if not not_asked[name] then
      local all = {}
      local index = 0
      while values[index] ~= nil do
        all[#all + 1] = values[index]
        index = index + 1
      end
      if name == "cookie" then all = { table.concat(all, "; ") } end
      headers[name] = all
    end
  end
  local method = txn.f:method()
  local target = txn.f:pathq()
  local scheme = headers["x-forwarded-proto"] and headers["x-forwarded-proto"][1] or ""
  local authority = headers["x-forwarded-host"] and headers["x-forwarded-host"][1] or ""
  headers["x-original-method"] = { method }
  headers["x-original-url"] = { scheme .. "://" .. authority .. target }
  headers["x-forwarded-method"] = { method }
  headers["x-forwarded-uri"] = { target }
  local ok, answer = pcall(function()
    return core.httpclient():get({ url = "http://" .. at .. path, headers = headers, timeout = ${String(timeoutMs)} })
  end)
  if not ok or answer == nil or answer.status == nil then return end
  local status = answer.status
  local said = answer.headers or {}
  if status >= 200 and status <= 299 then
    for name in string.gmatch(tell, "[^,]+") do
      if said[name] ~= nil and said[name][0] ~= nil then txn.http:req_set_header(name, said[name][0]) end
    end
    txn:set_var("txn.asked" .. number, true)
    return
  end
  if status ~= 401 and status ~= 403 and not (redirects[status] and said["location"] ~= nil) then return end
  local reply = txn:reply({ status = status })
  for name, values in pairs(said) do
    if not not_relayed[name] then
      local index = 0
      while values[index] ~= nil do
        reply:add_header(name, values[index])
        index = index + 1
      end
    end
  end
  reply:set_body(answer.body or "")
  txn:done(reply)
end

core.register_action("${askAction(plan)}", { "http-req" }, ask, 4)
`;
}

function keys(names: readonly string[]): string {
  return names.map((name) => `["${name}"] = true`).join(', ');
}
