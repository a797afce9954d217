package moisture

import (
	"math"
	"sync"
)

// freshDensity of a fresh egg, g/cm³: 0.548/0.51 of Hoyt 1979.
const freshDensity = 0.548 / 0.51

// HalfWidth is the half width of an egg at a share of its length from the blunt
// end (0 to 1), as a share of that length: widest a little before the middle, and
// about 1.36 times as long as it is broad [common practice].
func HalfWidth(t float64) float64 {
	if t <= 0 || t >= 1 {
		return 0
	}
	return 0.367 * math.Sqrt(math.Sin(math.Pi*math.Pow(t, .86)))
}

// Length estimates the length in mm of an egg of this mass in g, as Hoyt's
// formula leads to for an egg of the shape of HalfWidth.
func Length(massG float64) float64 {
	const broad = 2 * 0.367
	return 10 * math.Cbrt(massG/(0.548*broad*broad))
}

const slices1000 = 1000

// filled sums the egg's volume from the blunt end on, as shares of the whole.
var filled = sync.OnceValue(func() (sum [slices1000 + 1]float64) {
	for i := range slices1000 {
		r := HalfWidth((float64(i) + .5) / slices1000)
		sum[i+1] = sum[i] + r*r
	}
	for i := range sum {
		sum[i] /= sum[slices1000]
	}
	return
})

// CellShare is the share of the egg's volume that an air cell takes whose edge
// lies at this share of the length (0 to 1), the egg being round about its axis.
func CellShare(depth float64) float64 {
	at := min(max(depth, 0), 1) * slices1000
	i := min(int(at), slices1000-1)
	sum := filled()
	return sum[i] + (at-float64(i))*(sum[i+1]-sum[i])
}

// CellDepth is the reverse of CellShare: where the edge lies, as a share of the
// length.
func CellDepth(share float64) float64 {
	low, high := 0.0, 1.0
	for range 40 {
		if mid := (low + high) / 2; CellShare(mid) < share {
			low = mid
		} else {
			high = mid
		}
	}
	return high
}

// CellAfter is the share of the volume that the air cell takes when so much of
// the fresh mass was lost, in percent: what goes as water comes in as air.
func CellAfter(lossPct float64) float64 { return freshCell + lossPct/100*freshDensity }

// LossOfCell is the reverse of CellAfter. Read by eye or ruler it is good to two
// or three points of loss.
func LossOfCell(share float64) float64 { return max(0, 100*(share-freshCell)/freshDensity) }
