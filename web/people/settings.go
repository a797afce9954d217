package people

import (
	"html/template"
	"net/http"

	"github.com/labstack/echo/v5"

	"metrogon/core/candling"
	"metrogon/farm"
	"metrogon/farm/kinds"
	"metrogon/farm/people"
	"metrogon/farm/snapshot"
	"metrogon/web/page"
)

type settingHandler struct {
	*page.Site
	page page.Template[settingData]
}

// settingRoutes hangs the pages in.
func settingRoutes(e *echo.Echo, s *page.Site) {
	o := settingHandler{s, page.ParseWith[settingData](s, template.FuncMap{
		"device": device, "roleSays": farm.RoleSays, "roles": func() []string { return farm.Roles },
	}, files, "settings.html")}
	e.GET("/settings", s.Signed(page.Fresh(o.show)))
	s.Post(e, "/settings/units", farm.Reading,
		o.saving(func(c *echo.Context, m *farm.Member, f *page.Form) (farm.Done, error) {
			clock, from := f.Int("clock", "The clock"), f.Int("count_from", "The number of the set day")
			if f.Problems != nil {
				return farm.Done{}, f.Problems
			}
			units := people.Units{Temperature: f.Get("temperature"), Mass: f.Get("mass"), Clock: clock, CountFrom: from}
			return farm.Done{Said: "Your units are kept."}, o.People.SaveUnits(c.Request().Context(), m, units)
		}))
	s.Post(e, "/settings/farm", farm.Owning,
		o.saving(func(c *echo.Context, m *farm.Member, f *page.Form) (farm.Done, error) {
			rules := people.Rules{Name: f.Get("farm"), Zone: f.Get("zone"), ChoreAt: f.Get("chore_at"),
				WarmHours: f.Int("warm_hours", "The warm-up in hours"), Tilts: f.Int("tilts", "The tiltings a day"),
				DryHours:  f.Int("dry_hours", "The hours of drying"),
				RestHours: f.Int("rest_hours", "The rest of shipped eggs in hours"),
				AltitudeM: f.Int("altitude", "The altitude in metres"), Out: outs(f)}
			if f.Problems != nil {
				return farm.Done{}, f.Problems
			}
			return o.People.SaveFarm(c.Request().Context(), f.Request(m), rules)
		}))
	s.Post(e, "/settings/password", farm.Reading, o.saving(o.password))
	s.Post(e, "/settings/sign-out-everywhere", farm.Reading, o.signOutEverywhere)
	s.Post(e, "/settings/people/:id/remove", farm.Owning, o.saving(o.remove))
	s.Post(e, "/settings/scale-key", farm.Owning,
		o.saving(func(c *echo.Context, m *farm.Member, f *page.Form) (farm.Done, error) {
			return o.Weigh.RenewScaleKey(c.Request().Context(), f.Request(m))
		}))
	s.Post(e, "/settings/people/:id/role", farm.Owning, o.saving(o.role))
	s.Post(e, "/settings/people/:id/password", farm.Owning, o.saving(o.passwordLink))
	s.Post(e, "/settings/invitations", farm.Owning, o.saving(o.invite))
	s.Post(e, "/settings/invitations/:id/withdraw", farm.Owning, o.saving(o.withdraw))
	s.Post(e, "/settings/devices", farm.Reading, o.saving(o.signOut))
}

// password changes the person's own password; this session goes on, others end.
func (o settingHandler) password(c *echo.Context, m *farm.Member, f *page.Form) (farm.Done, error) {
	epoch, err := o.People.ChangePassword(c.Request().Context(), m, f.Get("before"), f.Get("password"))
	if err != nil {
		return farm.Done{}, err
	}
	return farm.Done{Said: "Your password is changed; you are signed out everywhere else."}, o.SignIn(
		c, m.PersonID, epoch,
	)
}

func (o settingHandler) signOutEverywhere(c *echo.Context, m *farm.Member) error {
	if err := o.People.SignOutEverywhere(c.Request().Context(), m); err != nil {
		return err
	}
	if err := o.Sessions.Destroy(c.Request().Context()); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/sign-in")
}

func (o settingHandler) remove(c *echo.Context, m *farm.Member, _ *page.Form) (farm.Done, error) {
	id, err := page.ID(c)
	if err != nil {
		return farm.Done{}, err
	}
	return farm.Done{Said: "Taken off the farm, and signed out."}, o.People.RemovePerson(c.Request().Context(), m, id)
}

// outs reads which calls take an egg out.
func outs(f *page.Form) (all []candling.Call) {
	for _, c := range f.Values["out"] {
		all = append(all, candling.Call(c))
	}
	return
}

type settingData struct {
	Outs        []candling.Call
	People      []snapshot.Person
	Invitations []people.Invitation
	Link        *page.Handed
	Devices     []people.Device
	Here        string           // the sign-in of this device
	ScaleKey    string           // owners see it
	Kept        []kinds.KindPage // of the farm's pens
	Others      []kinds.KindPage
}

func (o settingHandler) show(c *echo.Context, m *farm.Member, meta page.Meta) (err error) {
	ctx := c.Request().Context()
	d := settingData{Outs: candling.Outs, Here: o.SignInID(c), Link: o.JustMade(c)}
	if d.People, err = o.People.People(ctx, m); err != nil {
		return err
	}
	if d.Invitations, err = o.People.Invitations(ctx, m); err != nil {
		return err
	}
	if d.Devices, err = o.People.SignIns(ctx, m); err != nil {
		return err
	}
	if d.ScaleKey, err = o.Weigh.ScaleKey(ctx, m); err != nil {
		return err
	}
	if d.Kept, d.Others, err = o.Kinds.List(ctx, m); err != nil {
		return err
	}
	meta.Nav, meta.Title = "/settings", "Settings"
	return o.page.Render(c, meta, m, d)
}

func (o settingHandler) saving(save func(*echo.Context, *farm.Member, *page.Form) (farm.Done, error)) page.Handler {
	return func(c *echo.Context, m *farm.Member) error {
		f, err := page.ReadForm(c)
		if err != nil {
			return err
		}
		done, err := save(c, m, f)
		if err == nil {
			return o.RedirectWith(c, done, "/settings")
		}
		p := page.ProblemsOf(err)
		if p == nil {
			return err
		}
		f.Del("password")
		f.Del("before")
		return o.show(c, m, page.Meta{Typed: f.Values, Problems: p})
	}
}
