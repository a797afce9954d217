// Package archive writes a whole farm into one file and reads it back: a ZIP of JSON Lines, a file a
// table, with a list of contents. docs/archive.md says what stands in it.
package archive

import (
	"archive/zip"
	"bufio"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"slices"
	"time"

	"metrogon/farm"
	"metrogon/farm/books"
)

// Format is the version of the archive's form; a program reads its own and older ones.
const Format = 1

// Name is the list of contents.
const Name = "contents.json"

// Contents say what stands in an archive.
type Contents struct {
	Format int       `json:"format"`
	Farm   string    `json:"farm"`
	MadeAt time.Time `json:"made_at"`
	Parts  []Part    `json:"parts"`
}

// Part is one file of an archive.
type Part struct {
	Name   string `json:"name"` // of the table; the file is NAME.jsonl
	Rows   int    `json:"rows"`
	SHA256 string `json:"sha256"` // of the file, hexadecimal
}

// Write writes the member's farm.
func Write(ctx context.Context, w io.Writer, all *books.Service, m *farm.Member, now time.Time) error {
	z := zip.NewWriter(w)
	contents := Contents{Format: Format, Farm: m.FarmName, MadeAt: now.UTC().Truncate(time.Second)}
	var out *part
	done := func() {
		if out != nil {
			out.SHA256 = hex.EncodeToString(out.sum.Sum(nil))
			contents.Parts = append(contents.Parts, out.Part)
		}
	}
	err := all.Dump(ctx, m, func(name string, row json.RawMessage) error {
		if out == nil || out.Name != name {
			done()
			f, err := z.CreateHeader(&zip.FileHeader{Name: name + ".jsonl", Method: zip.Deflate, Modified: contents.MadeAt})
			if err != nil {
				return err
			}
			sum := sha256.New()
			out = &part{Part{Name: name}, sum, io.MultiWriter(f, sum)}
		}
		out.Rows++
		_, err := out.to.Write(append(row, '\n'))
		return err
	})
	if err != nil {
		return err
	}
	done()
	f, err := z.CreateHeader(&zip.FileHeader{Name: Name, Method: zip.Deflate, Modified: contents.MadeAt})
	if err != nil {
		return err
	}
	list := json.NewEncoder(f)
	list.SetIndent("", "  ")
	if err := list.Encode(contents); err != nil {
		return err
	}
	return z.Close()
}

type part struct {
	Part
	sum hash.Hash
	to  io.Writer
}

// The most that an archive may hold, and a line of it.
const (
	MaxBytes = 1 << 30
	maxLine  = 4 << 20
	piece    = 2000 // rows at a time
)

// Read opens an archive. Each file is checked against the list of contents before any row is used.
func Read(from io.ReaderAt, size int64) (in books.Incoming, c Contents, err error) {
	z, err := zip.NewReader(from, size)
	if err != nil {
		return in, c, errors.New("this is no archive of a farm: it is no ZIP file")
	}
	if c, err = contents(z); err != nil {
		return in, c, err
	}
	if err := check(z, c); err != nil {
		return in, c, err
	}
	farms, err := lines[json.RawMessage](z, books.FarmPart)
	if err != nil || len(farms) != 1 {
		return in, c, errors.Join(err, errors.New("the archive has not one farm"))
	}
	people, err := lines[books.IncomingPerson](z, books.PeoplePart)
	in.Farm, in.People = farms[0], people
	in.Rows = func(table string, use func([]json.RawMessage) error) error { return pieces(z, table, use) }
	return in, c, err
}

func contents(z *zip.Reader) (c Contents, err error) {
	f, err := z.Open(Name)
	if err != nil {
		return c, errors.New("this is no archive of a farm: it has no list of contents")
	}
	defer f.Close()
	if err := json.NewDecoder(io.LimitReader(f, maxLine)).Decode(&c); err != nil {
		return c, errors.New("the archive's list of contents cannot be read")
	}
	if c.Format < 1 || c.Format > Format {
		return c, fmt.Errorf("the archive is of form %d; this program reads 1 to %d", c.Format, Format)
	}
	return c, nil
}

func check(z *zip.Reader, c Contents) error {
	total := uint64(0)
	for _, f := range z.File {
		total += f.UncompressedSize64
	}
	if total > MaxBytes {
		return fmt.Errorf("the archive holds more than %d MB", MaxBytes>>20)
	}
	for _, p := range c.Parts {
		if !slices.Contains(books.Parts(), p.Name) {
			return fmt.Errorf("%s.jsonl is not known here: the archive is of a newer program", p.Name)
		}
		f, err := z.Open(p.Name + ".jsonl")
		if err != nil {
			return fmt.Errorf("%s.jsonl is missing", p.Name)
		}
		sum := sha256.New()
		_, err = io.Copy(sum, io.LimitReader(f, MaxBytes))
		f.Close()
		if err != nil || hex.EncodeToString(sum.Sum(nil)) != p.SHA256 {
			return fmt.Errorf("%s.jsonl is not what the list of contents says: the file is damaged", p.Name)
		}
	}
	return nil
}

func lines[T any](z *zip.Reader, name string) (all []T, err error) {
	err = pieces(z, name, func(rows []json.RawMessage) error {
		for _, row := range rows {
			var one T
			if err := json.Unmarshal(row, &one); err != nil {
				return fmt.Errorf("%s.jsonl: %w", name, err)
			}
			all = append(all, one)
		}
		return nil
	})
	return all, err
}

func pieces(z *zip.Reader, name string, use func([]json.RawMessage) error) error {
	f, err := z.Open(name + ".jsonl")
	if err != nil { // an empty table has no file
		return nil
	}
	defer f.Close()
	in := bufio.NewScanner(f)
	in.Buffer(make([]byte, 0, 64<<10), maxLine)
	var rows []json.RawMessage
	for in.Scan() {
		if !json.Valid(in.Bytes()) {
			return fmt.Errorf("%s.jsonl has a line that is no JSON", name)
		}
		rows = append(rows, json.RawMessage(slices.Clone(in.Bytes())))
		if len(rows) == piece {
			if err := use(rows); err != nil {
				return err
			}
			rows = nil
		}
	}
	if err := in.Err(); err != nil {
		return fmt.Errorf("%s.jsonl: %w", name, err)
	}
	if len(rows) > 0 {
		return use(rows)
	}
	return nil
}
