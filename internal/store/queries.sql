-- What the store asks of the database. internal/store/db is generated from this
-- and from schema.sql by sqlc: make generate.

-- name: AddCall :one
INSERT INTO calls (run_id, title, created_at) VALUES (?, ?, ?) RETURNING id;

-- name: GetCall :one
SELECT c.id, c.run_id, c.title, c.created_at, c.version, r.panel_id, p.site_id, t.name AS site_name, p.directory, p.version AS panel_version, c.stale
FROM calls c JOIN runs r ON r.id = c.run_id JOIN panels p ON p.id = r.panel_id JOIN sites t ON t.id = p.site_id WHERE c.id = ?;

-- name: CallThere :one
SELECT EXISTS (SELECT 1 FROM calls WHERE id = ?);

-- name: CallsOfRun :many
SELECT id FROM calls c WHERE c.run_id = sqlc.arg(run) AND (sqlc.arg(before) = 0
    OR c.created_at < (SELECT b.created_at FROM calls b WHERE b.id = sqlc.arg(before))
    OR c.created_at = (SELECT b.created_at FROM calls b WHERE b.id = sqlc.arg(before)) AND c.id < sqlc.arg(before))
ORDER BY c.created_at DESC, c.id DESC LIMIT sqlc.arg(most);

-- name: MoveCall :execrows
UPDATE calls SET version = sqlc.arg(version), stale = 1 WHERE id = sqlc.arg(id) AND version = sqlc.arg(was);

-- name: TitleCall :exec
UPDATE calls SET title = ? WHERE id = ?;

-- name: Parts :many
SELECT kind, id, n, document FROM parts WHERE call_id = ? ORDER BY n, kind, id;

-- name: PartsOfPast :many
SELECT kind, id, n, document FROM parts WHERE call_id = ? AND kind IN ('box', 'reading') ORDER BY n, kind, id;

-- name: AddPart :execrows
INSERT INTO parts (call_id, kind, id, n, document) VALUES (?, ?, ?, ?, ?) ON CONFLICT DO NOTHING;

-- name: SetPart :execrows
UPDATE parts SET document = ? WHERE call_id = ? AND kind = ? AND id = ?;

-- name: RemovePart :execrows
DELETE FROM parts WHERE call_id = ? AND kind = ? AND id = ?;

-- name: AddImage :exec
INSERT INTO images (call_id, id, image) VALUES (?, ?, ?) ON CONFLICT DO NOTHING;

-- name: Image :one
SELECT image FROM images WHERE call_id = ? AND id = ?;

-- name: AddAction :one
INSERT INTO actions (call_id, command, doing, what, device, person, at, arrived_at, undoes, changed) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
ON CONFLICT DO NOTHING RETURNING id;

-- name: ActionOf :one
SELECT id, call_id, doing, made FROM actions WHERE command = ?;

-- name: MadeBy :exec
UPDATE actions SET made = ? WHERE id = ?;

-- name: Actions :many
SELECT id, call_id, command, doing, what, device, person, at, arrived_at, undoes, changed FROM actions a
WHERE a.call_id = sqlc.arg(call)
UNION
SELECT a.id, a.call_id, a.command, a.doing, a.what, a.device, a.person, a.at, a.arrived_at, a.undoes, a.changed
FROM changes k JOIN actions a ON a.id = k.action WHERE k.kind = 'directory' AND k.id = sqlc.arg(panel) ORDER BY 1;

-- name: AddChange :exec
INSERT INTO changes (action, n, kind, id, path, next, before, after) VALUES (?, ?, ?, ?, ?, ?, ?, ?);

-- name: Changes :many
SELECT k.action, k.n, k.kind, k.id, k.path, k.next, k.before, k.after FROM actions a JOIN changes k ON k.action = a.id WHERE a.call_id = sqlc.arg(call)
UNION
SELECT k.action, k.n, k.kind, k.id, k.path, k.next, k.before, k.after FROM changes k WHERE k.kind = 'directory' AND k.id = sqlc.arg(panel) ORDER BY 1, 2;

-- name: Setting :one
SELECT value FROM settings WHERE name = ?;

-- name: Set :exec
INSERT INTO settings (name, value) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value;

-- name: AddSite :one
INSERT INTO sites (name, address, notes, created_at, telephone, lat, lon) VALUES (?, ?, ?, ?, ?, ?, ?) RETURNING id;

-- name: UpdateSite :execrows
UPDATE sites SET name = ?, address = ?, notes = ?, telephone = ?, lat = ?, lon = ? WHERE id = ?;

-- name: Site :one
SELECT id, name, address, notes, created_at, erased_at, telephone, lat, lon FROM sites WHERE id = ?;

-- name: SiteWords :one
SELECT t.name, CAST(t.address || ' ' || t.notes || ' ' || coalesce((SELECT group_concat(p.name || ' ' ||
    coalesce((SELECT group_concat(json_extract(d.value, '$.serves'), ' ') FROM json_each(p.directory) d), ''), ' ') FROM panels p WHERE p.site_id = t.id), '') AS TEXT) AS words
FROM sites t WHERE t.id = ?;

-- name: Sites :many
SELECT t.id, t.name, t.address, t.notes, t.created_at,
    (SELECT count(*) FROM panels p JOIN runs r ON r.panel_id = p.id JOIN calls c ON c.run_id = r.id WHERE p.site_id = t.id) AS calls,
    CAST(coalesce((SELECT max(c.created_at) FROM panels p JOIN runs r ON r.panel_id = p.id JOIN calls c ON c.run_id = r.id WHERE p.site_id = t.id), -1) AS INTEGER) AS last_at
FROM sites t WHERE sqlc.arg(before) = 0 OR t.id < sqlc.arg(before) ORDER BY t.id DESC LIMIT sqlc.arg(most);

-- name: AddPanel :one
INSERT INTO panels (site_id, name, directory) VALUES (?, ?, ?) RETURNING id;

-- name: Panels :many
SELECT id, site_id, name, directory, version FROM panels WHERE site_id = ? ORDER BY id;

-- name: Panel :one
SELECT id, site_id, name, directory, version FROM panels WHERE id = ?;

-- name: PanelOfRun :one
SELECT p.id, p.site_id, p.name, p.directory, p.version FROM panels p JOIN runs r ON r.panel_id = p.id WHERE r.id = ?;

-- name: SetDirectory :execrows
UPDATE panels SET directory = sqlc.arg(directory), version = sqlc.arg(version) WHERE id = sqlc.arg(id) AND version = sqlc.arg(was);

-- name: RenamePanel :execrows
UPDATE panels SET name = ? WHERE id = ?;

-- name: AddRun :one
INSERT INTO runs (panel_id, name) VALUES (?, ?) RETURNING id;

-- name: Run :one
SELECT r.id, r.panel_id, r.name, (SELECT count(*) FROM calls k WHERE k.run_id = r.id) AS calls, c.id AS last_call, c.created_at, c.title
FROM runs r LEFT JOIN calls c ON c.id = (SELECT k.id FROM calls k WHERE k.run_id = r.id ORDER BY k.created_at DESC, k.id DESC LIMIT 1) WHERE r.id = ?;

-- name: RunsOfSite :many
SELECT r.id, r.panel_id, r.name, (SELECT count(*) FROM calls k WHERE k.run_id = r.id) AS calls, c.id AS last_call, c.created_at, c.title
FROM runs r JOIN panels p ON p.id = r.panel_id
LEFT JOIN calls c ON c.id = (SELECT k.id FROM calls k WHERE k.run_id = r.id ORDER BY k.created_at DESC, k.id DESC LIMIT 1)
WHERE p.site_id = ? ORDER BY r.panel_id, r.id;

-- name: CallLines :many
SELECT call_id, document FROM summaries WHERE handed_over = sqlc.arg(over) AND (sqlc.arg(before) = 0 OR call_id < sqlc.arg(before)) ORDER BY call_id DESC LIMIT sqlc.arg(most);

-- name: Versions :many
SELECT c.id, c.version FROM summaries s JOIN calls c ON c.id = s.call_id
WHERE s.handed_over = sqlc.arg(over) AND c.created_at >= sqlc.arg(since) ORDER BY s.call_id DESC LIMIT sqlc.arg(most);

-- name: CallLinesOfSite :many
SELECT s.call_id, s.document FROM panels p JOIN runs r ON r.panel_id = p.id JOIN calls c ON c.run_id = r.id JOIN summaries s ON s.call_id = c.id
WHERE p.site_id = ? ORDER BY c.created_at DESC, c.id DESC LIMIT ?;

-- name: Stale :many
SELECT id FROM calls WHERE stale;

-- name: SetStale :exec
UPDATE calls SET stale = 1 WHERE id IN (SELECT call_id FROM summaries WHERE NOT handed_over);

-- name: Fresh :execrows
UPDATE calls SET stale = 0 WHERE id = ? AND version = ?;

-- name: SetSummary :exec
INSERT INTO summaries (call_id, document, handed_over, question, build, answer) VALUES (?, ?, ?, ?, ?, ?)
ON CONFLICT (call_id) DO UPDATE SET document = excluded.document, handed_over = excluded.handed_over, question = excluded.question, build = excluded.build, answer = excluded.answer;

-- name: Answer :one
SELECT document, question, build, answer, handed_over FROM summaries WHERE call_id = ?;

-- name: RemoveGFCIs :exec
DELETE FROM gfcis WHERE run_id = ?;

-- name: AddGFCI :exec
INSERT INTO gfcis (run_id, device, label, serves, installed_at, tested_at, held, due_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?);

-- name: GFCIsOfSite :many
SELECT g.run_id, g.device, g.label, g.serves, i.installed_at AS said_at, g.installed_at, g.tested_at, g.held, g.due_at, t.id AS site_id, t.name AS site_name, r.name AS run_name
FROM gfcis g JOIN runs r ON r.id = g.run_id JOIN panels p ON p.id = r.panel_id JOIN sites t ON t.id = p.site_id
LEFT JOIN installs i ON i.run_id = g.run_id AND i.device = g.device WHERE p.site_id = ? ORDER BY g.run_id, g.device;

-- name: DueGFCIs :many
SELECT g.run_id, g.device, g.label, g.serves, i.installed_at AS said_at, g.installed_at, g.tested_at, g.held, g.due_at, t.id AS site_id, t.name AS site_name, r.name AS run_name
FROM gfcis g JOIN runs r ON r.id = g.run_id JOIN panels p ON p.id = r.panel_id JOIN sites t ON t.id = p.site_id
LEFT JOIN installs i ON i.run_id = g.run_id AND i.device = g.device WHERE g.due_at <= ? AND t.erased_at IS NULL ORDER BY g.due_at, g.run_id, g.device LIMIT ?;

-- name: SetInstalled :exec
INSERT INTO installs (run_id, device, installed_at) VALUES (?, ?, ?) ON CONFLICT (run_id, device) DO UPDATE SET installed_at = excluded.installed_at;

-- name: RemoveInstalled :exec
DELETE FROM installs WHERE run_id = ? AND device = ?;

-- name: AddMove :execrows
INSERT INTO stock (id, call_id, van, item, unit, count, at, withdrawn) VALUES (?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO NOTHING;

-- name: SetMove :exec
INSERT INTO stock (id, call_id, van, item, unit, count, at, withdrawn) VALUES (?, ?, ?, ?, ?, ?, ?, ?)
ON CONFLICT (id) DO UPDATE SET van = excluded.van, item = excluded.item, unit = excluded.unit, count = excluded.count, withdrawn = excluded.withdrawn;

-- name: RemoveMove :exec
DELETE FROM stock WHERE id = ? AND call_id = ?;

-- name: Stock :many
SELECT van, item, unit, CAST(sum(count) AS REAL) AS count FROM stock WHERE NOT withdrawn GROUP BY van, item, unit ORDER BY van, item;

-- name: Used :many
SELECT van, item, unit, CAST(-sum(count) AS REAL) AS count FROM stock WHERE NOT withdrawn AND call_id = ? GROUP BY van, item, unit ORDER BY item;

-- name: LookedInto :many
SELECT call_id, document FROM parts WHERE kind = 'reading' AND json_extract(document, '$.reading.tool') = 'eyes'
    AND json_extract(document, '$.at') > CAST(sqlc.arg(since) AS TEXT) AND json_extract(document, '$.withdrawn') IS NULL
ORDER BY json_extract(document, '$.at') DESC LIMIT sqlc.arg(most);

-- name: LookedMark :one
SELECT count(*) AS n, CAST(coalesce(sum(json_extract(document, '$.withdrawn') IS NOT NULL), 0) AS INTEGER) AS withdrawn, CAST(coalesce(max(json_extract(document, '$.at')), '') AS TEXT) AS newest
FROM parts WHERE kind = 'reading' AND json_extract(document, '$.reading.tool') = 'eyes';

-- name: AddPerson :one
INSERT INTO people (name, role, passphrase, created_at) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING RETURNING id;

-- name: SetRole :execrows
UPDATE people SET role = ? WHERE id = ?;

-- name: SetPassphrase :execrows
UPDATE people SET passphrase = ? WHERE id = ?;

-- name: SetWithdrawn :execrows
UPDATE people SET withdrawn = ? WHERE id = ?;

-- name: Person :one
SELECT * FROM people WHERE id = ?;

-- name: PersonNamed :one
SELECT * FROM people WHERE name = ?;

-- name: People :many
SELECT * FROM people ORDER BY withdrawn, name COLLATE NOCASE;

-- name: SignIn :exec
INSERT INTO sessions (token, person_id, created_at, seen_at, fresh_at, place, browser, carried) VALUES (?, ?, ?, ?, ?, ?, ?, ?);

-- name: SignedIn :one
SELECT p.*, s.id AS session_id, s.created_at AS began_at, s.seen_at, s.fresh_at FROM sessions s JOIN people p ON p.id = s.person_id WHERE s.token = ? AND NOT p.withdrawn;

-- name: Refresh :exec
UPDATE sessions SET fresh_at = ? WHERE id = ?;

-- name: SessionsOf :many
SELECT id, created_at, seen_at, place, browser FROM sessions WHERE person_id = ? ORDER BY seen_at DESC, id DESC;

-- name: EndSession :execrows
DELETE FROM sessions WHERE id = ? AND person_id = ?;

-- name: EndSessions :exec
DELETE FROM sessions WHERE seen_at < ?;

-- name: Seen :exec
UPDATE sessions SET seen_at = ? WHERE token = ?;

-- name: SignOut :exec
DELETE FROM sessions WHERE id = (SELECT coalesce(s.carried, s.id) FROM sessions s WHERE s.token = ?);

-- name: EndCarried :exec
DELETE FROM sessions WHERE token = ? AND carried IS NOT NULL;

-- name: SignOutEverywhere :exec
DELETE FROM sessions WHERE person_id = ?;

-- name: Sessions :one
SELECT count(*) FROM sessions WHERE person_id = ?;

-- name: AddTicket :exec
INSERT INTO tickets (token, session_id, until) VALUES (?, ?, ?);

-- name: TicketOf :one
SELECT p.*, coalesce(s.carried, s.id) AS session_id, s.created_at AS began_at, s.fresh_at FROM tickets t JOIN sessions s ON s.id = t.session_id JOIN people p ON p.id = s.person_id
WHERE t.token = sqlc.arg(token) AND t.until >= sqlc.arg(now) AND NOT p.withdrawn;

-- name: EndTicket :execrows
DELETE FROM tickets WHERE token = ?;

-- name: EndTickets :exec
DELETE FROM tickets WHERE until < ?;

-- name: ForgetFailures :exec
DELETE FROM failures WHERE at < ?;

-- name: Failed :exec
INSERT INTO failures (name, browser, at) VALUES (?, ?, ?);

-- name: Failures :one
SELECT count(*) FROM failures WHERE name = ? AND browser = ? AND at >= ?;

-- name: ClearFailures :exec
DELETE FROM failures WHERE name = ?;

-- name: ClearFailuresOf :exec
DELETE FROM failures WHERE name = ? AND browser = ?;

-- name: KnowBrowser :exec
INSERT INTO browsers (token, person_id, seen_at) VALUES (?, ?, ?) ON CONFLICT (token) DO UPDATE SET person_id = excluded.person_id, seen_at = excluded.seen_at;

-- name: BrowserOf :one
SELECT EXISTS (SELECT 1 FROM browsers b JOIN people p ON p.id = b.person_id WHERE b.token = ? AND p.name = ? AND b.seen_at >= ?);

-- name: ForgetBrowsers :exec
DELETE FROM browsers WHERE seen_at < ?;

-- name: AddFactor :one
INSERT INTO factors (person_id, kind, name, secret, created_at) VALUES (?, ?, ?, ?, ?) RETURNING id;

-- name: Factors :many
SELECT * FROM factors WHERE person_id = ? ORDER BY id;

-- name: SetFactor :execrows
UPDATE factors SET secret = ?, used_at = ?, last = ? WHERE id = ? AND person_id = ?;

-- name: UseCode :execrows
UPDATE factors SET used_at = sqlc.arg(used_at), last = sqlc.arg(step) WHERE id = sqlc.arg(id) AND last < sqlc.arg(step);

-- name: UseRecovery :execrows
UPDATE factors SET used_at = ? WHERE person_id = ? AND kind = 'recovery' AND secret = ? AND used_at IS NULL;

-- name: RemoveFactor :execrows
DELETE FROM factors WHERE id = ? AND person_id = ? AND kind <> 'recovery';

-- name: RemoveRecovery :exec
DELETE FROM factors WHERE person_id = ? AND kind = 'recovery';

-- name: RemoveFactors :exec
DELETE FROM factors WHERE person_id = ?;

-- name: WithFactor :many
SELECT DISTINCT person_id FROM factors WHERE kind <> 'recovery';

-- name: AddEvent :exec
INSERT INTO events (at, what, person, place, call_id, about) VALUES (?, ?, ?, ?, ?, ?);

-- name: Events :many
SELECT * FROM events WHERE id < sqlc.arg(before) ORDER BY id DESC LIMIT sqlc.arg(most);

-- name: ForgetEvents :exec
DELETE FROM events WHERE at < ?;

-- name: AddVisit :exec
INSERT INTO visits (token, call_id, made_at, expires_at, of_result) VALUES (?, ?, ?, ?, ?);

-- name: EndVisits :exec
UPDATE visits SET withdrawn = 1 WHERE call_id = ? AND of_result = ?;

-- name: Visit :one
SELECT call_id, made_at, expires_at FROM visits WHERE token = ? AND NOT withdrawn AND expires_at > ? AND of_result = ?;

-- name: VisitOf :one
SELECT call_id, made_at, expires_at FROM visits WHERE call_id = ? AND NOT withdrawn AND expires_at > ? AND of_result = ?;

-- name: Filled :one
SELECT count(*) FROM (SELECT c.id FROM calls c UNION ALL SELECT t.id FROM sites t) AS one;

-- name: AddToken :one
INSERT INTO tokens (person_id, name, role, token, created_at) VALUES (?, ?, ?, ?, ?) RETURNING id;

-- name: Tokens :many
SELECT id, name, role, created_at, used_at FROM tokens WHERE person_id = ? AND NOT withdrawn ORDER BY id;

-- name: TokenOf :one
SELECT p.*, t.id AS token_id, t.role AS token_role, t.used_at FROM tokens t JOIN people p ON p.id = t.person_id WHERE t.token = ? AND NOT t.withdrawn AND NOT p.withdrawn;

-- name: TokenUsed :exec
UPDATE tokens SET used_at = ? WHERE id = ?;

-- name: WithdrawToken :execrows
UPDATE tokens SET withdrawn = 1 WHERE id = ? AND person_id = ? AND NOT withdrawn;

-- name: Arrive :exec
INSERT INTO arrived (command, call_id, document, device, person, role, arrived_at, refused) VALUES (?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO NOTHING;

-- name: ArrivedOpen :many
SELECT * FROM arrived WHERE settled_at IS NULL AND refused = '' ORDER BY n;

-- name: ArrivedOne :one
SELECT * FROM arrived WHERE command = ?;

-- name: Decisions :many
SELECT a.* FROM arrived a WHERE a.settled_at IS NULL AND a.refused <> '' ORDER BY a.n LIMIT ?;

-- name: DecisionsOf :many
SELECT * FROM arrived WHERE call_id = ? AND settled_at IS NULL AND refused <> '' ORDER BY n;

-- name: RefuseArrived :exec
UPDATE arrived SET refused = ?, call_id = ? WHERE command = ?;

-- name: TakeArrived :exec
DELETE FROM arrived WHERE command = ?;

-- name: SettleArrived :execrows
UPDATE arrived SET settled_at = ?, settled_by = ? WHERE command = ? AND settled_at IS NULL;

-- name: KeepImage :exec
INSERT INTO images (call_id, id, image) SELECT p.call_id, p.id, sqlc.arg(image) FROM parts p WHERE p.call_id = sqlc.arg(call) AND p.kind = 'picture' AND p.id = sqlc.arg(id) ON CONFLICT DO NOTHING;

-- name: WithdrawnBy :one
SELECT p.withdrawn FROM sessions s JOIN people p ON p.id = s.person_id WHERE s.token = ?;

-- name: CallsOfSite :many
SELECT c.id FROM panels p JOIN runs r ON r.panel_id = p.id JOIN calls c ON c.run_id = r.id WHERE p.site_id = ? ORDER BY c.id;

-- name: ErasedSite :execrows
UPDATE sites SET name = ?, address = '', notes = '', telephone = '', lat = NULL, lon = NULL, erased_at = ? WHERE id = ?;

-- name: ErasePanels :exec
UPDATE panels SET directory = '[]', name = 'Panel' WHERE site_id = ?;

-- name: EraseRuns :exec
UPDATE runs SET name = ? WHERE panel_id IN (SELECT id FROM panels WHERE site_id = ?);

-- name: EraseParts :exec
DELETE FROM parts WHERE call_id = ?;

-- name: EraseImages :exec
DELETE FROM images WHERE call_id = ?;

-- name: EraseChanges :exec
DELETE FROM changes WHERE action IN (SELECT a.id FROM actions a WHERE a.call_id = ?);

-- name: EraseActions :exec
UPDATE actions SET what = doing, changed = 0, undoes = '' WHERE call_id = ?;

-- name: EraseVisits :exec
DELETE FROM visits WHERE call_id = ?;

-- name: EraseArrived :exec
DELETE FROM arrived WHERE call_id = ?;

-- name: EraseSummary :exec
DELETE FROM summaries WHERE call_id = ?;

-- name: EraseGFCIs :exec
DELETE FROM gfcis WHERE run_id IN (SELECT r.id FROM runs r JOIN panels p ON p.id = r.panel_id WHERE p.site_id = ?);

-- name: PanelActions :exec
DELETE FROM changes WHERE kind = 'directory' AND id IN (SELECT CAST(p.id AS TEXT) FROM panels p WHERE p.site_id = ?);

-- name: ToErase :many
SELECT t.id FROM sites t WHERE t.erased_at IS NULL AND max(t.created_at, coalesce((SELECT max(c.created_at)
    FROM panels p JOIN runs r ON r.panel_id = p.id JOIN calls c ON c.run_id = r.id WHERE p.site_id = t.id), 0)) < ? ORDER BY t.id;

-- name: LastInvoice :one
SELECT CAST(coalesce(max(number), 0) AS INTEGER) AS number FROM invoices;

-- name: AddInvoice :exec
INSERT INTO invoices (number, paper, call_id, of, command, at, document) VALUES (?, ?, ?, ?, ?, ?, ?);

-- name: Invoice :one
SELECT * FROM invoices WHERE number = ?;

-- name: InvoiceBy :one
SELECT * FROM invoices WHERE command = ?;

-- name: CreditOf :one
SELECT * FROM invoices WHERE of = ?;

-- name: InvoicesOfCall :many
SELECT * FROM invoices WHERE call_id = ? ORDER BY number;

-- name: Invoices :many
SELECT * FROM invoices WHERE sqlc.arg(before) = 0 OR number < sqlc.arg(before) ORDER BY number DESC LIMIT sqlc.arg(most);

-- name: SetFeed :exec
INSERT INTO feeds (van, token, made_at) VALUES (?, ?, ?) ON CONFLICT (van) DO UPDATE SET token = excluded.token, made_at = excluded.made_at;

-- name: FeedOf :one
SELECT van FROM feeds WHERE token = ?;

-- name: RemoveFeed :exec
DELETE FROM feeds WHERE van = ?;

-- name: Feeds :many
SELECT van, made_at FROM feeds ORDER BY van;

-- name: DueOnMap :many
SELECT g.run_id, g.device, g.label, g.due_at, t.id AS site_id, t.name AS site_name, t.address, t.lat, t.lon
FROM gfcis g JOIN runs r ON r.id = g.run_id JOIN panels p ON p.id = r.panel_id JOIN sites t ON t.id = p.site_id
WHERE g.due_at <= ? AND t.erased_at IS NULL AND t.lat IS NOT NULL ORDER BY g.due_at, g.run_id, g.device LIMIT ?;

-- name: AddDrill :one
INSERT INTO drills (command, person, begun_at, version, packed) VALUES (?, ?, ?, ?, ?) RETURNING id;

-- name: DrillBy :one
SELECT id FROM drills WHERE command = ?;

-- name: Drill :one
SELECT * FROM drills WHERE id = ?;

-- name: KeepDrill :execrows
UPDATE drills SET packed = sqlc.arg(packed), version = sqlc.arg(next) WHERE id = sqlc.arg(id) AND version = sqlc.arg(version);

-- name: SetDrillResult :exec
UPDATE drills SET result = ? WHERE id = ?;

-- name: DrillsOf :many
SELECT id, person, begun_at, version, result FROM drills WHERE person = ? ORDER BY begun_at DESC, id DESC LIMIT ?;

-- name: Drills :many
SELECT id, person, begun_at, version, result FROM drills ORDER BY begun_at DESC, id DESC LIMIT ?;
