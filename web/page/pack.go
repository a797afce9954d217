package page

import (
	"bytes"
	"io"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"metrogon/formats/senml"
)

// Pack is what a scale or probe sent under its key.
type Pack struct {
	Key     string
	Body    []byte
	Records []senml.Record
}

// ReadPack reads a SenML pack in JSON or CBOR and the key that it was sent under. Where something is wrong with it, it
// is answered in a line, since nobody reads pages there, and ok is false; who is what sends: "scale", "probe".
func ReadPack(c *echo.Context, who string) (p Pack, ok bool, err error) {
	refuse := func(status int, says string) (Pack, bool, error) { return p, false, c.String(status, says+"\n") }
	p.Key, ok = strings.CutPrefix(c.Request().Header.Get("Authorization"), "Bearer ")
	if !ok || p.Key == "" {
		return refuse(http.StatusUnauthorized, "The "+who+"'s key is missing: Authorization: Bearer KEY")
	}
	if p.Body, err = io.ReadAll(io.LimitReader(c.Request().Body, senml.MaxBytes+1)); err != nil {
		return refuse(http.StatusBadRequest, "The pack did not arrive whole; send it again.")
	}
	if len(p.Body) > senml.MaxBytes {
		return refuse(http.StatusRequestEntityTooLarge, "A pack may have 65,536 bytes; send several.")
	}
	read := senml.Read
	if strings.HasPrefix(c.Request().Header.Get("Content-Type"), senml.MediaTypeCBOR) {
		read = senml.ReadCBOR
	}
	if p.Records, err = read(bytes.NewReader(p.Body)); err != nil {
		return refuse(http.StatusBadRequest, err.Error())
	}
	return p, true, nil
}
