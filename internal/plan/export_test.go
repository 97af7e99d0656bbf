package plan

// LongAnswerer returns an answerer that remembers nothing and has no short ways.
func (p *Plan) LongAnswerer() *Answerer {
	a := p.Answerer()
	a.plain = false
	a.walker.LongWays()
	return a
}
