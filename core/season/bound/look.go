package bound

import (
	"math"

	"metrogon/core/season/draft"
)

// lens is what of the best plan is looked at closely: its settings, or all that may be.
type lens struct {
	free       bool
	from, wide int  // days
	luck       bool // something was found in the last round, or in this one
	found      bool // in this one
}

// wait leaves the work to the search at first, which finds most by itself.
func (p *Prover) wait() {
	for range 10 {
		if p.quiet <= settled {
			p.left = -1
			p.stop()
		}
	}
}

// look looks closely at some weeks; true at the end of the season.
func (p *Prover) look() bool {
	p.refine()
	return p.through(&p.all)
}

// refine looks for better eggs in the settings and loads of the best plan, when the
// search finds no better one for a while.
func (p *Prover) refine() {
	if p.quiet <= settled || p.best.Score == p.refined {
		return
	}
	p.refined = p.best.Score
	for l := (lens{wide: p.m.P.Days}); !p.through(&l) && !p.stop(); {
	}
}

// through takes the batches of some days out of the best plan and puts better ones in,
// as far as a few dives find them, and moves the lens on; true at the end of the season.
func (p *Prover) through(l *lens) bool {
	m, to := *p.m, l.from+l.wide-1
	m.Base = m.Empty()
	m.Base.Copy(p.best)
	for i := len(m.Base.Parts) - 1; i >= 0; i-- {
		if q := &m.Base.Parts[i]; !q.Fixed && q.T >= l.from && q.T <= to {
			m.Base.Drop(i)
		}
	}
	r := relax(&m, false, mostLook, func(w *way) bool {
		x := &m.Source[w.src]
		lid := p.best.Lid[w.h][w.t+x.Sp.Lockdown]
		there := p.best.Sets[w.a][w.t].Batches > 0 && lid.Batches > 0 && lid.End >= w.t+x.Sp.Pull
		return w.t >= l.from && w.t <= to && (l.free || there)
	})
	before := p.best.Score
	if r.rows > mostLook && l.wide > 2 {
		l.wide = (l.wide + 1) * 2 / 3
		return false
	}
	if r.rows > 0 && r.rows <= mostLook {
		p.use(&m, r)
		open := &nodes{{bound: math.Inf(1)}}
		for r.Work < closely && open.Len() > 0 && !p.stop() {
			if !p.dive(open) {
				break
			}
		}
	}
	if p.best.Score > before+draft.Hair {
		l.luck, l.found = true, true
	}
	if l.from += (l.wide + 1) / 2; to < m.P.Days-1 {
		return false
	}
	l.from, l.luck, l.found = 0, l.found, false
	return true
}

// mostLook is how many rows a close look may have, and closely how much work is given
// to it.
const (
	mostLook = 700
	closely  = 6e7
)
