package lp

import "math"

// border lets the slack of the last row into the basis.
func (p *Program) border() {
	i := len(p.basis)
	p.basis, p.where = append(p.basis, len(p.c)+i), append(p.where, i)
	p.xb, p.worth, p.d = append(p.xb, 0), append(p.worth, 0), append(p.d, 0)
	p.up, p.alpha = append(p.up, false), append(p.alpha, 0)
	norm := 1.0
	for k, col := range p.inv {
		if col == nil {
			continue
		}
		v := 0.0
		for _, t := range p.rows[i] {
			if r := p.where[t.At]; r >= 0 {
				v -= t.By * col[r]
			}
		}
		p.inv[k] = append(col, v)
		norm += v * v
	}
	p.inv, p.norm = append(p.inv, nil), append(p.norm, norm)
}

// Trim forgets rows from a number on that do not bind.
func (p *Program) Trim(from int) {
	if p.basis == nil {
		return
	}
	n, m := len(p.c), len(p.b)
	number := make([]int, m) // of the rows that stay, or -1
	var stay []int
	for i := range m {
		number[i] = -1
		if i < from || p.where[n+i] < 0 {
			number[i] = len(stay)
			stay = append(stay, i)
		}
	}
	if len(stay) == m {
		return
	}
	keep := func(all []float64, ok func(i int) bool) []float64 {
		kept := all[:0]
		for i, v := range all {
			if ok(i) {
				kept = append(kept, v)
			}
		}
		return kept
	}
	row := func(i int) bool { return number[i] >= 0 }
	// a slack that goes takes its own place in the basis with it
	place := func(i int) bool { return p.basis[i] < n || row(p.basis[i]-n) }
	for k, i := range stay {
		p.rows[k], p.inv[k] = p.rows[i], p.inv[i]
		if p.inv[i] != nil {
			p.inv[k] = keep(p.inv[i], place)
		}
	}
	p.rows, p.inv = p.rows[:len(stay)], p.inv[:len(stay)]
	p.xb, p.norm, p.b = keep(p.xb, place), keep(p.norm, place), keep(p.b, row)
	variable := func(j int) bool { return j < n || row(j-n) }
	p.worth, p.d = keep(p.worth, variable), keep(p.d, variable)
	var basis []int
	for _, j := range p.basis {
		if j < n {
			basis = append(basis, j)
		} else if row(j - n) {
			basis = append(basis, n+number[j-n])
		}
	}
	p.basis = basis
	p.where, p.up, p.alpha = p.where[:n+len(stay)], p.up[:n+len(stay)], p.alpha[:n+len(stay)]
	for j := n; j < len(p.where); j++ {
		p.where[j], p.up[j] = -1, false
	}
	for i, j := range p.basis {
		p.where[j] = i
	}
	for j := range p.cols {
		p.cols[j] = p.cols[j][:0]
	}
	for i, terms := range p.rows {
		for _, t := range terms {
			p.cols[t.At] = append(p.cols[t.At], Term{i, t.By})
		}
	}
}

// begin puts every slack into the basis.
func (p *Program) begin() {
	m, n := len(p.b), len(p.c)
	p.basis, p.where = make([]int, m), make([]int, n+m)
	p.xb, p.d, p.up, p.alpha = make([]float64, m), make([]float64, n+m), make([]bool, n+m), make([]float64, n+m)
	p.worth = make([]float64, n+m)
	copy(p.worth, p.c)
	copy(p.d, p.c)
	for j := range p.where {
		p.where[j] = -1
	}
	p.cost = make([]float64, n)
	p.inv, p.norm = make([][]float64, m), make([]float64, m)
	for i := range m {
		p.basis[i], p.where[n+i], p.norm[i] = n+i, i, 1
	}
}

// add adds so many times a column of the inverse.
func (p *Program) add(to []float64, times float64, k int) {
	if times == 0 {
		return
	}
	p.Work++
	if p.inv[k] == nil {
		to[p.where[len(p.c)+k]] += times
		return
	}
	p.Work += len(to)
	col := p.inv[k][:len(to)]
	for i := range to {
		to[i] += times * col[i]
	}
}

func (p *Program) column(q int) []float64 {
	col := make([]float64, len(p.b))
	if q >= len(p.c) {
		p.add(col, 1, q-len(p.c))
		return col
	}
	for _, t := range p.cols[q] {
		p.add(col, t.By, t.At)
	}
	return col
}

// at is a number of the inverse.
func (p *Program) at(i, k int) float64 {
	switch {
	case p.inv[k] != nil:
		return p.inv[k][i]
	case p.where[len(p.c)+k] == i:
		return 1
	}
	return 0
}

// exchange puts variable q into the basis at row r.
func (p *Program) exchange(r, q int, col []float64) {
	n := len(p.c)
	if k := p.basis[r] - n; k >= 0 { // a slack leaves
		p.inv[k] = p.blank()
		p.inv[k][r] = 1
	}
	var at []int // rows that change
	for i, f := range col {
		if i != r && math.Abs(f) >= 1e-13 {
			at = append(at, i)
		}
	}
	length := 0.0
	cross := make([]float64, len(col))
	for _, inv := range p.inv {
		if inv == nil || inv[r] == 0 {
			continue
		}
		v := inv[r] / col[r]
		if math.Abs(v) < 1e-13 {
			inv[r] = 0
			continue
		}
		inv[r] = v
		length += v * v
		p.Work += 2 * len(at)
		for _, i := range at {
			cross[i] += inv[i] * v
			inv[i] -= col[i] * v
		}
	}
	p.norm[r] = length
	for _, i := range at {
		p.norm[i] = max(p.norm[i]-2*col[i]*cross[i]+col[i]*col[i]*length, 1e-12)
	}
	p.where[p.basis[r]] = -1
	p.basis[r], p.where[q] = q, r
	if q >= n {
		p.spare, p.inv[q-n] = append(p.spare, p.inv[q-n]), nil
	}
}

// blank is a column of noughts.
func (p *Program) blank() []float64 {
	if last := len(p.spare) - 1; last >= 0 && len(p.spare[last]) >= len(p.b) {
		col := p.spare[last][:len(p.b)]
		p.spare = p.spare[:last]
		clear(col)
		return col
	}
	p.spare = nil
	return make([]float64, len(p.b))
}

// remake makes the inverse and the reduced costs anew from the basis.
func (p *Program) remake() {
	n, m := len(p.c), len(p.b)
	var wanted []int
	for _, j := range p.basis {
		if j < n {
			wanted = append(wanted, j)
		}
		p.where[j] = -1
	}
	keeps := make([]bool, m)
	for _, j := range p.basis {
		if j >= n {
			keeps[j-n] = true
		}
	}
	for i := range m {
		if p.inv[i] != nil {
			p.spare = append(p.spare, p.inv[i])
		}
		p.inv[i], p.norm[i] = nil, 1
		p.basis[i], p.where[n+i] = n+i, i
	}
	for _, j := range wanted {
		col := p.column(j)
		best := -1
		for i, v := range col {
			if p.basis[i] >= n && !keeps[p.basis[i]-n] && (best < 0 || math.Abs(v) > math.Abs(col[best])) {
				best = i
			}
		}
		if best >= 0 && math.Abs(col[best]) > 1e-9 {
			p.exchange(best, j, col)
		}
	}
	p.price()
	p.mend()
	p.since = 0
}

// price makes the reduced costs anew.
func (p *Program) price() {
	n, y := len(p.c), make([]float64, len(p.b))
	for k, col := range p.inv {
		if col == nil {
			y[k] = p.worth[n+k]
		}
		for i, v := range col {
			y[k] += p.worth[p.basis[i]] * v
		}
	}
	for j := range p.d {
		switch {
		case p.where[j] >= 0:
			p.d[j] = 0
		case j >= n:
			p.d[j] = p.worth[j] - y[j-n]
		default:
			p.d[j] = p.worth[j]
			for _, t := range p.cols[j] {
				p.d[j] -= y[t.At] * t.By
			}
		}
	}
}
