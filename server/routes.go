package server

import (
	"encoding/json"
	"net/url"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"

	"klammer/api"
	"klammer/core/command"
	"klammer/core/finding"
	"klammer/core/notation"
	"klammer/core/office"
	"klammer/core/span"
)

// route is one way into the server, with what its description is made from.
type route struct {
	need                  need // who may
	method, path, summary string
	in, out               any // examples of the body and the answer; nil for none
	query                 any // a struct whose fields are the query
	handle                fiber.Handler
	named                 []named // fields that name further offices, found where it is mounted
}

func (s *Server) routes() []route {
	return []route{
		{anybody, "GET", "/api/health", "Whether the server and its database answer", nil, api.Health{}, nil, s.health, nil},
		{anybody, "GET", "/api/me", "Who this browser said it is", nil, api.Me{}, nil, s.getMe, nil},
		{anybody, "PUT", "/api/me", "Say who this browser is", api.Name{}, api.Me{}, nil, s.putMe, nil},
		{someone, "GET", "/api/offices", "The offices", nil, []api.OfficeSummary{}, nil, s.offices, nil},
		{someone, "GET", "/api/search", "What is called so, in every office that one may read", nil, []api.Hit{}, searchQuery{}, s.search, nil},
		{plannerOfAll, "POST", "/api/offices", "Start an office", api.NewOffice{}, api.OfficeSummary{}, nil, s.create, nil},
		{byOffices, "POST", "/api/intake", "Read somebody's own workbook or table into an office", api.IntakeRequest{}, api.IntakeAnswer{}, nil, s.intake, nil},
		{reader, "GET", "/api/offices/:id/tried", "What was tried in a copy, piece by piece", nil, api.TriedView{}, triedQuery{}, s.tried, nil},
		{planner, "POST", "/api/offices/:id/takeover", "Take what was tried in a copy over, as one edit", api.TakeoverRequest{}, api.OfficeView{}, nil, s.takeover, nil},
		{reader, "GET", "/api/offices/:id", "A whole office", nil, api.OfficeView{}, nil, s.office, nil},
		{keeper, "DELETE", "/api/offices/:id", "Delete an office", nil, api.OfficeSummary{}, removeQuery{}, s.remove, nil},
		{planner, "POST", "/api/offices/:id/edits", "Make an edit", api.EditRequest{}, api.OfficeView{}, nil, s.edit, nil},
		{planner, "POST", "/api/offices/:id/preview", "What an edit would do", api.EditRequest{}, api.Preview{}, nil, s.preview, nil},
		{planner, "POST", "/api/offices/:id/undo", "Take an edit back", api.UndoRequest{}, api.OfficeView{}, nil, s.undo, nil},
		{keeper, "POST", "/api/offices/:id/restore", "Make the office as it was at a revision", api.UndoRequest{}, api.OfficeView{}, nil, s.restore, nil},
		{reader, "GET", "/api/offices/:id/at/:revision", "The office as it was at a revision", nil, api.OfficeView{}, nil, s.then, nil},
		{reader, "GET", "/api/offices/:id/history", "The newest edits", nil, []api.HistoryEntry{}, historyQuery{}, s.history, nil},
		{reader, "GET", "/api/offices/:id/story", "What happened: edits, orders, readings, proofs", nil, api.Story{}, storyQuery{}, s.story, nil},
		{planner, "PUT", "/api/offices/:id/history/:revision/name", "Call a revision something", api.RevisionName{}, api.RevisionName{}, nil, s.nameRevision, nil},
		{reader, "GET", "/api/offices/:id/explain", "Ports and a VLAN in plain words", nil, api.Explanation{}, explainQuery{}, s.explain, nil},
		{reader, "GET", "/api/offices/:id/mends", "Ways out of a finding, each tried", nil, []api.Mends{}, mendsQuery{}, s.mends, nil},
		{reader, "GET", "/api/offices/:id/walk", "What becomes of a frame", nil, api.WalkView{}, walkQuery{}, s.walk, nil},
		{reader, "GET", "/api/offices/:id/talk", "Who may talk to whom", nil, api.TalkView{}, talkQuery{}, s.talk, nil},
		{reader, "GET", "/api/offices/:id/talk/way", "The way from somebody to somebody and back, and the rule that decides", nil, api.TalkAnswer{}, talkWayQuery{}, s.talkWay, nil},
		{reader, "GET", "/api/offices/:id/propose", "The next VLAN like the others", nil, api.ProposalView{}, proposeQuery{}, s.propose, nil},
		{reader, "GET", "/api/offices/:id/compare", "What differs in another office", nil, api.Comparison{}, compareQuery{}, s.compare, nil},
		{reader, "POST", "/api/offices/:id/here", "Tell the others where this tab is", api.Here{}, api.Here{}, nil, s.here, nil},
		{reader, "GET", "/api/offices/:id/sheet", "A device's sheet: planned, found, and the steps between", nil, api.SheetView{}, deviceQuery{}, s.sheet, nil},
		{reader, "GET", "/api/offices/:id/found", "Where devices are set otherwise than they should be", nil, api.FoundNow{}, nil, s.now, nil},
		{reader, "GET", "/api/offices/:id/found/meaning", "What ports gain and lose when a device, as it was found, is set to the plan", nil, []api.PortChange{}, deviceQuery{}, s.meaning, nil},
		{reader, "GET", "/api/offices/:id/found/view", "The office as its devices were found to be set", nil, api.OfficeView{}, nil, s.foundView, nil},
		{carrier, "POST", "/api/offices/:id/found", "Read what a device is set to, and keep it", api.FoundRequest{}, api.FoundAnswer{}, nil, s.find, nil},
		{carrier, "PUT", "/api/offices/:id/ticks", "Tick a step off", api.TickRequest{}, api.TickRequest{}, nil, s.tick, nil},
		{reader, "GET", "/api/offices/:id/orders", "The newest work order, and what of it is done", nil, api.OrderView{}, nil, s.orderNow, nil},
		{carrier, "POST", "/api/offices/:id/orders", "Make a work order to the plan", api.OrderRequest{}, api.OrderView{}, nil, s.orderMake, nil},
		{carrier, "DELETE", "/api/offices/:id/orders", "Stop the order that is being worked out", nil, api.OrderView{}, nil, s.orderStop, nil},
		{carrier, "PUT", "/api/offices/:id/orders/ticks", "Tick the next step of the order off, or take the last tick away", api.OrderTick{}, api.OrderView{}, nil, s.orderTick, nil},
		{reader, "GET", "/api/offices/:id/orders/protocol", "What was said of the steps of all orders: who, when, by hand or by the device", nil, api.Protocol{}, nil, s.orderProtocol, nil},
		{reader, "GET", "/api/offices/:id/orders/at", "The office as it is after a step of the order", nil, api.OfficeView{}, orderAtQuery{}, s.orderAt, nil},
		{carrier, "POST", "/api/offices/:id/orders/rehearsal", "What a visit of the order would write to its device; nothing is sent", api.CarryRequest{}, api.Rehearsal{}, nil, s.rehearse, nil},
		{carrier, "POST", "/api/offices/:id/orders/carry", "Have a visit of the order carried out by its device", api.CarryRequest{}, api.OrderView{}, nil, s.carryOut, nil},
		{reader, "GET", "/api/offices/:id/readings", "What devices told of themselves and of what is around them", nil, api.ReadingView{}, nil, s.readingNow, nil},
		{carrier, "POST", "/api/offices/:id/readings", "Read devices", api.ReadRequest{}, api.ReadingView{}, nil, s.readDevices, nil},
		{carrier, "DELETE", "/api/offices/:id/readings", "Stop reading", nil, api.ReadingView{}, nil, s.readStop, nil},
		{reader, "GET", "/api/offices/:id/round", "Where to plug a laptop in, what became of it, and what explains it", nil, api.RoundView{}, nil, s.roundNow, nil},
		{reader, "GET", "/api/offices/:id/round/working", "How far the round is that is worked out just now", nil, api.RoundWorking{}, nil, s.roundWorking, nil},
		{reader, "GET", "/api/offices/:id/round/here", "Where a browser is that asks, and what it can try there", nil, api.RoundHere{}, roundHereQuery{}, s.roundHere, nil},
		{carrier, "PUT", "/api/offices/:id/round/results", "Say what was seen at a plug test", api.RoundResult{}, api.RoundView{}, nil, s.roundResult, nil},
		{carrier, "POST", "/api/offices/:id/round/play", "Play a laptop on what devices were found set to", api.RoundPlay{}, api.RoundView{}, nil, s.roundPlay, nil},
		{anybody, "POST", "/api/sign-in", "Sign in", api.SignIn{}, api.Me{}, nil, s.signIn, nil},
		{anybody, "POST", "/api/invited", "What an invitation is for", api.Invitation{}, api.Invited{}, nil, s.invited, nil},
		{anybody, "POST", "/api/join", "Make an account by an invitation, and sign in", api.Join{}, api.Me{}, nil, s.join, nil},
		{someone, "GET", "/api/sessions", "Where one is signed in", nil, []api.SessionView{}, nil, s.sessions, nil},
		{someone, "DELETE", "/api/sessions", "Sign out: here, elsewhere, or everywhere else", nil, []api.SessionView{}, sessionQuery{}, s.endSession, nil},
		{someone, "PUT", "/api/password", "Change one's password; other sessions end", api.NewPassword{}, api.Opens{}, nil, s.password, nil},
		{anybody, "POST", "/api/sign-in/passkey", "Ask whoever is at a browser for a passkey", nil, api.PasskeyAsked{}, nil, s.passkeyAsk, nil},
		{anybody, "PUT", "/api/sign-in/passkey", "Sign in with a passkey", api.PasskeyAnswer{}, api.Me{}, nil, s.passkeyEnter, nil},
		{someone, "GET", "/api/passkeys", "One's own passkeys", nil, []api.PasskeyView{}, nil, s.passkeys, nil},
		{someone, "POST", "/api/passkeys", "Ask a browser for a new passkey", api.OwnPassword{}, api.PasskeyAsked{}, nil, s.passkeyNew, nil},
		{someone, "PUT", "/api/passkeys", "Keep a new passkey", api.PasskeyAnswer{}, []api.PasskeyView{}, nil, s.passkeyKeep, nil},
		{someone, "PUT", "/api/passkeys/alone", "Say whether the password opens one's account beside passkeys", api.PasskeysAlone{}, api.Me{}, nil, s.passkeysAlone, nil},
		{someone, "PUT", "/api/passkeys/forget", "Forget a passkey", api.PasskeyForget{}, []api.PasskeyView{}, nil, s.passkeyDrop, nil},
		{keeperOfAll, "GET", "/api/people", "Who may what in every office", nil, api.PeopleView{}, nil, s.people, nil},
		{keeperOfAll, "PUT", "/api/people", "Give somebody a role in every office", api.RoleRequest{}, api.PeopleView{}, nil, s.setRole, nil},
		{keeperOfAll, "DELETE", "/api/people", "Remove somebody", nil, api.PeopleView{}, personQuery{}, s.removePerson, nil},
		{keeperOfAll, "POST", "/api/invitations", "Invite somebody to every office", api.InviteRequest{}, api.PeopleView{}, nil, s.invite, nil},
		{keeperOfAll, "DELETE", "/api/invitations", "Withdraw an invitation", nil, api.PeopleView{}, invitationQuery{}, s.withdraw, nil},
		{keeperOfAll, "GET", "/api/record", "What was done that is no edit, the newest first", nil, []api.RecordEntry{}, recordQuery{}, s.record, nil},
		{keeperSelf, "GET", "/api/offices/:id/people", "Who may what in an office", nil, api.PeopleView{}, nil, s.people, nil},
		{keeperSelf, "PUT", "/api/offices/:id/people", "Give somebody a role in an office", api.RoleRequest{}, api.PeopleView{}, nil, s.setRole, nil},
		{keeperSelf, "POST", "/api/offices/:id/invitations", "Invite somebody to an office", api.InviteRequest{}, api.PeopleView{}, nil, s.invite, nil},
		{keeperSelf, "DELETE", "/api/offices/:id/invitations", "Withdraw an invitation to an office", nil, api.PeopleView{}, invitationQuery{}, s.withdraw, nil},
		{keeperSelf, "GET", "/api/offices/:id/record", "What was done in an office that is no edit, the newest first", nil, []api.RecordEntry{}, recordQuery{}, s.record, nil},
		{carrierSelf, "GET", "/api/offices/:id/tokens", "What lets a probe report tests of the office", nil, api.TokenList{}, nil, s.tokens, nil},
		{carrierSelf, "POST", "/api/offices/:id/tokens", "Make a token, which is told once", api.TokenRequest{}, api.TokenList{}, nil, s.makeToken, nil},
		{carrierSelf, "DELETE", "/api/offices/:id/tokens", "End a token", nil, api.TokenList{}, tokenQuery{}, s.endToken, nil},
		{reporting, "POST", "/api/probe/looks", "What a probe is to try where it is; with a token", api.ProbeAsk{}, api.ProbeLooks{}, nil, s.probeLooks, nil},
		{reporting, "POST", "/api/probe/reports", "Report what a probe saw; with a token", api.ProbeReport{}, api.Probed{}, nil, s.probeReport, nil},
		{carrier, "POST", "/api/offices/:id/discover", "Ask who answers at some addresses, and what the office would take from there", api.DiscoverRequest{}, api.DiscoverAnswer{}, nil, s.discover, nil},
		{carrier, "PUT", "/api/offices/:id/readings/every", "Say how often devices are read by themselves", api.ReadEvery{}, api.ReadingView{}, nil, s.readEvery, nil},
		{keeper, "PUT", "/api/offices/:id/credentials", "Keep credentials", api.CredentialRequest{}, api.ReadingView{}, nil, s.putCredential, nil},
		{keeper, "DELETE", "/api/offices/:id/credentials", "Forget credentials", nil, api.ReadingView{}, credentialQuery{}, s.dropCredential, nil},
		{reader, "GET", "/api/offices/:id/shelf", "Uses and port plans that offices share, beside this one", nil, api.ShelfView{}, nil, s.shelf, nil},
		{planner, "POST", "/api/offices/:id/shelf", "Put uses and plans of an office on the shelf", api.ShelfRequest{}, api.ShelfView{}, nil, s.shelve, nil},
		{planner, "PUT", "/api/offices/:id/shelf/follow", "Say which revision an office follows", api.ShelfFollow{}, api.ShelfView{}, nil, s.followShelf, nil},
		{keeper, "DELETE", "/api/offices/:id/shelf", "Take something off the shelf, for all offices", nil, api.ShelfView{}, shelfQuery{}, s.unshelve, nil},
		{reader, "GET", "/api/offices/:id/checkups", "How the office was at its last check-ups", nil, api.CheckupsView{}, nil, s.checkups, nil},
		{carrier, "POST", "/api/offices/:id/checkups", "Check the office by what is known of its devices", api.CheckRequest{}, api.CheckupsView{}, nil, s.checkUp, nil},
		{carrier, "PUT", "/api/offices/:id/checkups/every", "Say how often an office is checked by itself", api.CheckEvery{}, api.CheckupsView{}, nil, s.setCheckEvery, nil},
		{readerSelf, "GET", "/api/offices/:id/notices", "Who hears what of an office, by mail, webhook and syslog", nil, api.NoticesView{}, nil, s.noticesNow, nil},
		{readerSelf, "POST", "/api/offices/:id/notices", "Hear of an office", api.NoticeRequest{}, api.NoticesView{}, nil, s.addNotice, nil},
		{readerSelf, "DELETE", "/api/offices/:id/notices", "Hear no more of it", nil, api.NoticesView{}, noticeQuery{}, s.dropNotice, nil},
		{readerSelf, "POST", "/api/offices/:id/notices/test", "Send a test", api.NoticeTest{}, api.NoticesView{}, nil, s.tryNotice, nil},
		{reader, "GET", "/api/offices/:id/handbook", "The office written down for the next administrator (HTML)", nil, nil, handbookQuery{}, s.handbook, nil},
		{reader, "GET", "/api/offices/:id/workbook", "The office as a workbook (XLSX)", nil, nil, nil, s.workbook, nil},
		{reader, "GET", "/api/offices/:id/grid", "A device's grid as CSV", nil, nil, deviceQuery{}, s.grid, nil},
		{reader, "GET", "/api/offices/:id/notation", "The office in bracket notation", nil, nil, nil, s.notation, nil},
		{reader, "GET", "/api/offices/:id/events", "Edits as they are made, as server-sent events", nil, nil, nil, s.events, nil},
	}
}

func (s *Server) health(c fiber.Ctx) error {
	if err := s.store.Ping(c.Context()); err != nil {
		return err
	}
	return c.JSON(api.Health{Database: true})
}

func (s *Server) getMe(c fiber.Ctx) error { return c.JSON(s.meOf(whoAsks(c))) }

func (s *Server) putMe(c fiber.Ctx) error {
	if s.access.Accounts {
		return fiber.NewError(fiber.StatusForbidden, "people sign in here: names are those of accounts")
	}
	var one api.Name
	if err := body(c, &one); err != nil {
		return err
	}
	name, err := checkName(one.Name)
	if err != nil {
		return err
	}
	c.Cookie(&fiber.Cookie{Name: authorCookie, Value: url.QueryEscape(name), Path: "/", HTTPOnly: true, SameSite: "Strict", MaxAge: 400 * 24 * 3600})
	return c.JSON(api.Me{Name: name})
}

func (s *Server) office(c fiber.Ctx) error {
	_, now, err := s.looked(c)
	if err != nil {
		return err
	}
	return c.JSON(now.view)
}

func (s *Server) edit(c fiber.Ctx) error {
	var request api.EditRequest
	name, room, err := s.asked(c, &request)
	if err != nil {
		return err
	}
	answer, err := room.edit(c.Context(), askingOf(c, name, request.ID, request.Again, request.Base), func(net *span.Net) (*command.Result, error) { return work(net, &request) })
	if err != nil {
		return err
	}
	if request.Look != nil { // what the page shows beside the board, so that it need not ask
		if one, err := explanation(answer.now.report.Net, request.Look.Ports, request.Look.VLAN); err == nil {
			text, err := json.Marshal(one)
			if err != nil {
				return err
			}
			answer.told = slices.Concat(answer.told[:len(answer.told)-1], []byte(`,"look":`), text, []byte("}"))
		}
	}
	return send(c, answer)
}

// send answers with what an edit came to.
func send(c fiber.Ctx, answer *answer) error {
	c.Set(fiber.HeaderContentType, fiber.MIMEApplicationJSON)
	return c.Send(answer.told)
}

// tabHeader names the tab of a browser that asks.
const tabHeader = "Klammer-Tab"

func tabOf(c fiber.Ctx) string { return c.Get(tabHeader) }

type mendsQuery struct {
	Finding []string `query:"finding" required:"true" description:"findings by their ids"`
}

// mostTried is how many findings' mends one request asks for.
const mostTried = 64

// mends tries them when somebody looks at the findings; an office with a
// thousand findings is not worked out a thousand times at each edit.
func (s *Server) mends(c fiber.Ctx) error {
	_, now, err := s.looked(c)
	if err != nil {
		return err
	}
	asked := c.RequestCtx().QueryArgs().PeekMulti("finding")
	if len(asked) == 0 || len(asked) > mostTried {
		return bad("finding", "1 to %d findings are asked for at once", mostTried)
	}
	out := []api.Mends{}
	for _, id := range asked {
		mends, err := now.mends(c.Context(), string(id))
		if err != nil {
			return err
		}
		out = append(out, api.Mends{Finding: string(id), Mends: mends})
	}
	return c.JSON(out)
}

// report is the findings of the office that a request names.
func (s *Server) report(c fiber.Ctx) (*finding.Report, error) {
	_, now, err := s.looked(c)
	if err != nil {
		return nil, err
	}
	return now.report, nil
}

func (s *Server) preview(c fiber.Ctx) error {
	var request api.EditRequest
	if err := body(c, &request); err != nil {
		return err
	}
	report, err := s.report(c)
	if err != nil {
		return err
	}
	result, err := work(report.Net, &request)
	if err != nil {
		return err
	}
	if err := withinLimits(result.Office); err != nil {
		return err
	}
	out := report.Foretell(result.Office)
	preview := api.Preview{Changed: api.Refs(out.Ports), Ports: len(out.Ports), Lines: []string{}, Notes: []string{}, Devices: []api.DeviceView{}}
	if lines, _ := notation.Statements(result.Office, result.Edit); lines != nil {
		preview.Lines = lines
	}
	preview.Notes = append(preview.Notes, result.Notes...)
	for _, ref := range out.Ports {
		if k := len(preview.Devices); k == 0 || preview.Devices[k-1].Name != ref.Device {
			preview.Devices = append(preview.Devices, api.DeviceOf(out.Report.Net, out.Report.Net.Topo.DeviceIndex(ref.Device)))
		}
	}
	if slices.ContainsFunc(result.Edit.Keys(), func(key office.Key) bool {
		return strings.HasPrefix(string(key), "use:") || strings.HasPrefix(string(key), "plan:")
	}) {
		preview.Uses, preview.Plans = api.UsesOf(out.Report.Net), api.PlansOf(out.Report.Net)
	}
	preview.Edit = len(result.Edit) > 0
	preview.Talk, _ = api.TalkShifts(report.Talk(), out.Report.Talk())
	preview.Come, preview.Go = api.Findings(out.Report, out.Come, 0), api.Findings(report, out.Go, 0)
	return c.JSON(preview)
}
