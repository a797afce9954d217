package snapshot

import (
	"time"

	"metrogon/core/species"
	"metrogon/farm"
)

func CheckPen(pen Pen, now time.Time) (Pen, error) {
	var p farm.Problems
	pen.Name = p.Name("name", "The pen's name", pen.Name, 60, true)
	pen.Breed = p.Name("breed", "The breed", pen.Breed, 60, false)
	kind, err := species.Find(pen.Species)
	if err != nil {
		p.Addf("species", "Pick what lays in this pen.")
	} else {
		pen.Species = kind.ID
		if pen.Bantam && !kind.BantamEarlyDays.Known() {
			p.Addf("bantam", "Bantams are known of chickens only.")
		}
	}
	if pen.Supplier {
		pen.Females, pen.Males = 0, 0
	}
	p.Count("females", "The number of females", pen.Females, 0, 10000)
	p.Count("males", "The number of males", pen.Males, 0, 10000)
	if at := pen.HensHatchedOn; at != nil {
		p.Date("hens_hatched_on", "The day the hens hatched", *at, now)
	}
	p.Date("from_on", "The pen's first day", pen.FromOn, now.AddDate(1, 0, 0))
	if pen.UntilOn != nil && pen.UntilOn.Before(pen.FromOn) {
		p.Addf("until_on", "The pen's last day comes before its first.")
	}
	return pen, p.Err()
}
