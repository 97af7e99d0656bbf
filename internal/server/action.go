package server

import (
	"strconv"

	"young-compass/internal/address"
	"young-compass/internal/compile"
)

// Kind is what an action does.
type Kind string

// The kinds of actions.
const (
	Move     Kind = "m" // lead to the target
	MoveFold Kind = "M" // lead to the target, with its path in small letters
	Gone     Kind = "410"
	Live     Kind = Kind(compile.Live) // a live page: the site's rules, but for its path
	Hold     Kind = Kind(compile.Hold) // no page: 404, on the site and with the target's path
)

// Action is what an entry or a pattern does with a request. Servers carry it as a text in one variable, and take it
// apart by expressions; both are written here alone.
//
//	m301/308 0 https://skerrywick.example/routes    lead there: statuses by method, the set that doesn't travel
//	410                                             gone
//	live 0 https://skerrywick.example/routes ID     a live page; ID is what Same compares with the request
type Action struct {
	Kind     Kind
	Status   compile.Statuses
	Set      string // the number of the set of parameters that don't travel, or "drop"
	To       string
	Identity string
}

// String encodes the action as servers carry it.
func (a Action) String() string {
	switch a.Kind {
	case Gone:
		return string(Gone)
	case Live, Hold:
		return a.Staying()
	}
	return a.With(strconv.Itoa(a.Status.Get), strconv.Itoa(a.Status.Other))
}

// With encodes a move whose statuses are texts, such as what an expression captured.
func (a Action) With(get, other string) string {
	return string(a.Kind) + get + "/" + other + " " + a.Set + " " + a.To
}

// Staying encodes an action of a page whose kind is a text.
func (a Action) Staying() string {
	return string(a.Kind) + " " + a.Set + " " + a.To + " " + a.Identity
}

// Action returns what an entry does; identity is what Same compares with the request, for a live page.
func (f *Flow) Action(x compile.Listed, identity func(path string) string) Action {
	switch x.Kind {
	case compile.Gone:
		return Action{Kind: Gone}
	case compile.Hold, compile.Live:
		t := x.Target
		t.Query = ""
		return Action{Kind: Kind(x.Kind), Set: "0", To: t.String(), Identity: identity(address.Decode(t.Path))}
	}
	sets := &Sets{sets: f.Sets, noise: f.Sets[0]}
	return Action{Kind: Move, Status: x.Status, Set: sets.Number(x.Strip, x.Drop), To: x.Target.String()}
}

// Reading is an expression that takes actions apart. Its fields are expressions for the parts; an empty one stands
// for anything, and is not captured.
type Reading struct {
	Get, Other string // of the statuses
	Set        string
	To         string // to the end of the text, or to the identity
	Identity   string
	Between    string // what stands between the parts; a space if empty
}

func or(expression, otherwise string) string {
	if expression == "" {
		return otherwise
	}
	return expression
}

// word is anything up to the next part.
func (r Reading) word() string {
	if r.Between == "" {
		return `\S+`
	}
	return `[^` + r.Between + `]+`
}

// Move is an expression for actions that lead somewhere, of one kind or, where it is empty, of both.
func (r Reading) Move(kind Kind) string {
	between := or(r.Between, " ")
	return or(string(kind), "["+string(Move)+string(MoveFold)+"]") + or(r.Get, "[0-9]+") + "/" + or(r.Other, "[0-9]+") +
		between + or(r.Set, r.word()) + between + or(r.To, ".*")
}

// Stay is an expression for actions of pages, of one kind or, where it is empty, of both.
func (r Reading) Stay(kind Kind) string {
	between := or(r.Between, " ")
	return or(string(kind), StayKinds) + between + or(r.Set, r.word()) + between + or(r.To, r.word()) + between +
		or(r.Identity, ".*")
}

// StayKinds is an expression for the beginning of actions of pages.
const StayKinds = "(?:" + string(Live) + "|" + string(Hold) + ")"

// AnyAction is an expression for any action.
func AnyAction() string {
	return "(?:" + string(Move) + "[0-9]|" + string(Live) + " |" + string(Hold) + " |" + string(Gone) + ").*"
}
