package people

import (
	"errors"
	"net/http"
	"net/netip"

	"github.com/labstack/echo/v5"

	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/farm/people"
	"metrogon/farm/snapshot"
	"metrogon/web/page"
)

type accountHandler struct {
	*page.Site
	page     page.Template[accountData]
	join     page.Template[invitation]
	password page.Template[forgotten]
	farms    page.Template[[]snapshot.Person]
}

// accountRoutes hangs the pages in. These are the only ones open to strangers.
func accountRoutes(e *echo.Echo, s *page.Site) {
	d := accountHandler{
		s,
		page.Parse[accountData](s, files, "account.html"),
		page.Parse[invitation](s, files, "join.html"),
		page.Parse[forgotten](s, files, "password.html"),
		page.Parse[[]snapshot.Person](s, files, "farms.html"),
	}
	e.GET("/sign-in", d.signIn)
	e.POST("/sign-in", d.enter)
	e.POST("/sign-out", d.leave)
	e.GET("/set-up", d.setUp)
	e.POST("/set-up", d.found)
	e.GET("/join/:link", d.invited)
	e.POST("/join/:link", d.accept)
	e.GET("/password/:link", d.forgot)
	e.POST("/password/:link", d.remember)
	e.GET("/farms", s.Signed(d.showFarms))
	s.Post(e, "/farms/:id", farm.Reading, d.goTo)
	s.Post(e, "/farms/demo", farm.Owning, d.lookAround)
	s.Post(e, "/farms/:id/forget", farm.Owning, d.forget)
	s.Post(e, "/account/forget", farm.Reading, d.forgetMe)
}

// accountData is the door: signing in, on the way to the page that was asked for, or setting up.
type accountData struct {
	SetUp bool
	Next  string
	Kinds []*species.Profile
}

func (d accountHandler) show(c *echo.Context, setUp bool, meta page.Meta) error {
	meta.Title = "Sign in"
	if setUp {
		meta.Title = "Set up"
	}
	at := accountData{SetUp: setUp, Next: page.Inside(c.FormValue("next"), "/")}
	if setUp {
		at.Kinds = species.All()
	}
	return d.page.Render(c, meta, nil, at)
}

func (d accountHandler) signIn(c *echo.Context) error {
	some, err := d.People.Populated(c.Request().Context())
	if err != nil {
		return err
	}
	if !some {
		return c.Redirect(http.StatusSeeOther, "/set-up")
	}
	return d.show(c, false, page.Meta{})
}

func (d accountHandler) enter(c *echo.Context) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	attempt := people.Attempt{Email: f.Get("email"), Password: f.Get("password"), Network: network(c.RealIP())}
	if kept, err := c.Cookie(deviceCookie); err == nil {
		attempt.Device = kept.Value
	}
	in, err := d.People.SignIn(c.Request().Context(), attempt)
	f.Del("password")
	var wait people.ErrWait
	says := ""
	switch {
	case errors.Is(err, people.ErrWrong):
		says = "Address or password is wrong."
	case errors.As(err, &wait):
		says = wait.Error()
	case err != nil:
		return err
	}
	if says != "" {
		return d.show(c, false, page.Meta{Typed: f.Values, Problems: farm.Problems{{Field: "email", Says: says}}})
	}
	c.SetCookie(&http.Cookie{
		Name: deviceCookie, Value: in.Device, Path: "/sign-in", MaxAge: 365 * 24 * 3600,
		HttpOnly: true, Secure: d.Secure, SameSite: http.SameSiteStrictMode,
	})
	if err := d.SignIn(c, in.PersonID, in.Epoch); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, page.Inside(f.Get("next"), "/"))
}

// deviceCookie keeps on a device that it was signed in before.
const deviceCookie = "metrogon-device"

// network is the part of an address that one household or provider's customer has.
func network(address string) string {
	ip, err := netip.ParseAddr(address)
	if err != nil {
		return address
	}
	if ip = ip.Unmap(); ip.Is6() {
		if prefix, err := ip.Prefix(64); err == nil {
			return prefix.String()
		}
	}
	return ip.String()
}

func (d accountHandler) leave(c *echo.Context) error {
	if err := d.Sessions.Destroy(c.Request().Context()); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/sign-in")
}

func (d accountHandler) setUp(c *echo.Context) error {
	some, err := d.People.Populated(c.Request().Context())
	if err != nil {
		return err
	}
	if some {
		return c.Redirect(http.StatusSeeOther, "/sign-in")
	}
	return d.show(c, true, page.Meta{})
}

func (d accountHandler) found(c *echo.Context) error {
	f, err := page.ReadForm(c)
	if err != nil {
		return err
	}
	id, err := d.People.SetUp(
		c.Request().Context(),
		people.NewFarm{
			Farm: f.Get("farm"), Zone: f.Get("zone"), Name: f.Get("name"), Email: f.Get("email"),
			Password: f.Get("password"), Kinds: f.Values["kind"], Units: people.Units{
				Temperature: f.Get("temperature"), Mass: f.Get("mass"), Clock: f.Int("clock", "The clock"),
				CountFrom: f.Int("count_from", "The number of the set day"),
			},
		},
		true,
	)
	if p := page.ProblemsOf(err); p != nil {
		f.Del("password")
		return d.show(c, true, page.Meta{Typed: f.Values, Problems: p})
	}
	if errors.Is(err, farm.ErrNone) { // somebody was faster
		return c.Redirect(http.StatusSeeOther, "/sign-in")
	}
	if err != nil {
		return err
	}
	if err := d.SignIn(c, id, 0); err != nil { // a new account's first epoch
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/start")
}
