package plan

import "errors"

// Hop is one redirect that a visitor follows.
type Hop struct {
	Status int     `json:"status"`
	To     string  `json:"to"`
	Causes []Cause `json:"causes"`
}

// Trace is a request with all its hops and the answer at their end.
type Trace struct {
	Request Request
	Hops    []Hop
	Final   Request // what the last hop asks; the request itself without hops
	Answer  Answer  // at the end
}

// maxHops is what browsers follow before they give up, about.
const maxHops = 20

// Trace follows a request, hop by hop, to its end by the plan alone.
func (p *Plan) Trace(r Request) (Trace, error) {
	t := Trace{Request: r, Final: r}
	for len(t.Hops) <= maxHops {
		a, err := p.Answer(t.Final)
		if err != nil {
			return t, err
		}
		if a.Outcome != Moved {
			t.Answer = a
			return t, nil
		}
		t.Hops = append(t.Hops, Hop{Status: a.Status, To: a.To, Causes: a.Causes})
		method := t.Final.Method
		if a.Status != 307 && a.Status != 308 && method != "HEAD" {
			method = "GET" // as browsers do
		}
		next, err := NewRequest(method, a.To)
		if err != nil {
			return t, err
		}
		next.Client = r.Client
		t.Final = next
	}
	return t, errors.New("this never ends")
}
