package card_test

import (
	"bytes"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/qrcode"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/marks"
	"metrogon/formats/card"
)

const address = "http://127.0.0.1:8480/batches/4711"

func sample(pens int) card.Card {
	c := card.Card{Code: "Chicken 27-04", Kind: "Chicken", Farm: "Wickfold", Eggs: "40 eggs",
		Where: "Cabinet → Hatch box", Air: "37.5 °C at egg height, 45–55 % (by weight)",
		Dates: []card.Date{
			{What: "Set, day 1", When: "Mon 1 Mar, 18:00", Counter: "counter 12"},
			{What: "Lockdown, day 19", When: "Fri 19 Mar, 07:00", Counter: "counter 30"},
			{What: "Hatch, day 22", When: "Sun 21 Mar – Tue 23 Mar"},
		},
		Daily: []string{"Turn by hand 5 times a day until " +
			"lockdown."}, Tallies: []string{"clear", "ring, quit", "hatched"}, Cautions: "Wash hands.",
		Address: address}
	for i := range pens {
		c.Pens = append(c.Pens, card.Pen{
			Name: "Žluťák × Мари " + strconv.Itoa(i+1), Eggs: 10 + i, Codes: "AAA … ACE", Band: marks.BandOf(i),
		})
	}
	return c
}

// The PDF is read back and drawn by poppler, which stands outside the project.
func TestTheCardReadsAsItShould(t *testing.T) {
	for size, pens := range map[card.Size]int{card.A6: 3, card.A4: 14} {
		t.Run(string(size), func(t *testing.T) {
			file := filepath.Join(t.TempDir(), "card.pdf")
			out, err := os.Create(file)
			require.NoError(t, err)
			require.NoError(t, sample(pens).Write(out, size))
			require.NoError(t, out.Close())
			said := poppler(t, "pdftotext", "-layout", file, "-")
			assert.Equal(t, 1, strings.Count(said, "\f"), "one page")
			said = strings.Join(strings.Fields(said), " ")
			for _, part := range []string{"Chicken 27-04", "40 eggs", "Cabinet → Hatch box", "Wickfold",
				"Žluťák × Мари 1 10 AAA … ACE", "Set, day 1 Mon 1 Mar, 18:00 counter 12",
				"Lockdown, day 19 Fri 19 Mar, 07:00 counter 30",
				"Hatch, day 22 Sun 21 Mar – Tue 23 " +
					"Mar", "37.5 °C at egg height, 45–55 % (by " +
					"weight)", "Turn by hand 5 times", "clear ring, quit hatched", "Wash hands."} {
				assert.Contains(t, said, part)
			}
			assert.Equal(t, size == card.A4, strings.Contains(said, "Мари 14"), "all pens stand on the sheet")
			// ISO 216: 105 × 148, 210 × 297 mm
			paper := map[card.Size]string{card.A6: "297.64 x 419.53 pts", card.A4: "595.28 x 841.89 pts (A4)"}[size]
			assert.Contains(t, poppler(t, "pdfinfo", file), paper)
			picture := strings.TrimSuffix(file, ".pdf")
			poppler(t, "pdftoppm", "-r", "200", "-png", "-singlefile", file, picture)
			drawn, err := os.ReadFile(picture + ".png")
			require.NoError(t, err)
			assert.Equal(t, address, decode(t, drawn), "the code on the paper opens the batch")
		})
	}
	file := filepath.Join(t.TempDir(), "full.pdf")
	out, err := os.Create(file)
	require.NoError(t, err)
	require.NoError(t, sample(30).Write(out, card.A6))
	require.NoError(t, out.Close())
	said := poppler(t, "pdftotext", file, "-")
	assert.Equal(t, 1, strings.Count(said, "\f"), "thirty pens do not make a second card")
	assert.Contains(t, said, "and 22 more pens")
}

func poppler(t *testing.T, name string, args ...string) string {
	out, err := exec.Command(name, args...).CombinedOutput()
	require.NoError(t, err, "%s: %s", name, out)
	return string(out)
}

func decode(t *testing.T, file []byte) string {
	img, err := png.Decode(bytes.NewReader(file))
	require.NoError(t, err)
	bits, err := gozxing.NewBinaryBitmapFromImage(img)
	require.NoError(t, err)
	read, err := qrcode.NewQRCodeReader().Decode(bits, nil)
	require.NoError(t, err)
	return read.GetText()
}

func TestTheCodeOpensTheBatch(t *testing.T) {
	png, err := card.QR(address)
	require.NoError(t, err)
	assert.Equal(t, address, decode(t, png))
}
