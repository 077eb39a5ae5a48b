package releases

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"aldermoor/core/handoff"
	"aldermoor/core/normals"
	"aldermoor/core/scale"
	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// Profile is a handoff profile as the studio keeps it. Those that Aldermoor brings along have
// version 0 and can't be changed, only copied.
type Profile struct {
	ID       string          `json:"id"`
	Version  int             `json:"version"`
	Document handoff.Profile `json:"document"`
	By       string          `json:"by,omitempty"`
	Created  time.Time       `json:"created,omitzero"`
	Removed  bool            `json:"-"`
}

// Own says whether the studio made it.
func (p *Profile) Own() bool { return p.Version > 0 }

var profileID = regexp.MustCompile(`^[a-z0-9]+(_[a-z0-9]+)*$`)

// profileIDOf makes an id of a name.
func profileIDOf(name string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(name) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "_"):
			b.WriteByte('_')
		}
	}
	id := strings.Trim(b.String(), "_")
	return id[:min(len(id), 60)]
}

// Profiles are those that are offered: Aldermoor's first, then the studio's by id.
func (s *Service) Profiles(ctx context.Context, p people.Principal) (list []Profile, err error) {
	if err := p.Need(people.Enter); err != nil {
		return nil, err
	}
	for _, k := range handoff.Presets() {
		list = append(list, Profile{ID: k.ID, Document: k.Profile})
	}
	err = s.Store.Read(ctx, func(tx Reader) error {
		own, err := tx.Profiles()
		list = append(list, own...)
		return err
	})
	return list, err
}

// Profile is one profile in a version; 0 for the latest.
func (s *Service) Profile(ctx context.Context, p people.Principal, id string, version int) (found Profile, err error) {
	if err := p.Need(people.Enter); err != nil {
		return found, err
	}
	if k, ok := handoff.FindPreset(id); ok {
		return Profile{ID: id, Document: k}, nil
	}
	err = s.Store.Read(ctx, func(tx Reader) error { found, err = tx.Profile(id, version); return err })
	if errors.Is(err, library.ErrNotFound) {
		return found, library.Invalid(fmt.Sprintf("There is no handoff profile %q. GET /api/v1/profiles lists them.", id))
	}
	return found, err
}

// AddProfile keeps a new profile under an id made of its name.
func (s *Service) AddProfile(ctx context.Context, p people.Principal, document handoff.Profile) (Profile, error) {
	id := profileIDOf(document.Name)
	if !profileID.MatchString(id) {
		return Profile{}, library.Invalid("A profile's name needs letters or digits.")
	}
	return s.saveProfile(ctx, p, id, 0, document)
}

// SaveProfile keeps the next version of a profile; seen is the one that was changed, -1 for
// whichever there is. Older versions stay, for the handoffs that were made by them.
func (s *Service) SaveProfile(ctx context.Context, p people.Principal, id string, seen int, document handoff.Profile) (Profile, error) {
	if seen == 0 {
		return Profile{}, library.Invalid("A profile that comes with Aldermoor can't be changed. Save it under another name.")
	}
	return s.saveProfile(ctx, p, id, seen, document)
}

func (s *Service) saveProfile(ctx context.Context, p people.Principal, id string, seen int, document handoff.Profile) (out Profile, err error) {
	if err := p.Need(people.Decide); err != nil {
		return out, err
	}
	if err := document.Check(); err != nil {
		return out, library.Invalid(profileProblem(err))
	}
	if _, ok := handoff.FindPreset(id); ok {
		return out, library.Invalid(fmt.Sprintf("%q comes with Aldermoor and can't be changed. Save it under another name.", document.Name))
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		last, err := tx.Profile(id, 0)
		exists := err == nil && !last.Removed
		switch {
		case err != nil && !errors.Is(err, library.ErrNotFound):
			return err
		case seen == 0 && exists:
			return library.Invalid(fmt.Sprintf("There is a profile called %q already. Choose another name.", last.Document.Name))
		case seen != 0 && !exists:
			return library.ErrNotFound
		case seen > 0 && seen != last.Version:
			return library.ErrStale
		}
		out = Profile{ID: id, Version: last.Version + 1, Document: document, By: p.Name, Created: s.Now()}
		if err := tx.AddProfile(out); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "profile", document.Name, fmt.Sprintf("version %d", out.Version)))
	})
	return out, err
}

// RemoveProfile stops offering a profile. Handoffs that were made by it can still be taken.
func (s *Service) RemoveProfile(ctx context.Context, p people.Principal, id string, seen int) error {
	if err := p.Need(people.Decide); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		last, err := tx.Profile(id, 0)
		switch {
		case err != nil:
			return err
		case last.Removed:
			return nil // it was carried out
		case seen > 0 && seen != last.Version:
			return library.ErrStale
		}
		if err := tx.RemoveProfile(id); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "profile", last.Document.Name, "removed"))
	})
}

// profileProblem is what is wrong with a profile as a sentence.
func profileProblem(err error) string {
	var k *handoff.ProfileError
	if !errors.As(err, &k) {
		return err.Error()
	}
	if k.Part == "" {
		return "The profile can't be used: " + k.Problem + "."
	}
	return fmt.Sprintf("The profile can't be used: %s: %s.", k.Part, k.Problem)
}

// ReadProfile reads a profile's document.
func ReadProfile(data []byte) (handoff.Profile, error) {
	p, err := handoff.ReadProfile(data)
	if err != nil {
		return p, library.Invalid(profileProblem(err))
	}
	return p, nil
}

// Order says which handoff of a release is wanted.
type Order struct {
	Profile string // id
	Version int    // of the studio's own profiles; 0 for the latest
	Tier    scale.Tier
	handoff.Conventions

	Looking bool // whether it is there is asked, nothing is taken yet: it is not recorded
}

// ParseOrder reads an order from the words of contracts.md. What is empty is as the profile
// has it.
func ParseOrder(profile, tier, normal, roughness, format string) (o Order, err error) {
	o.Profile = cmp.Or(profile, handoff.Scanned)
	if id, version, ok := strings.Cut(o.Profile, "@"); ok {
		o.Profile = id
		if n, err := fmt.Sscanf(version, "%d", &o.Version); n != 1 || err != nil || o.Version < 0 {
			return o, library.Invalid(fmt.Sprintf("%q is no version of a profile.", version))
		}
	}
	if !profileID.MatchString(o.Profile) {
		return o, library.Invalid(fmt.Sprintf("%q is no profile's id.", o.Profile))
	}
	if o.Tier, err = scale.ParseTier(cmp.Or(tier, "source")); err != nil {
		return o, library.Invalid(err.Error() + ".")
	}
	if normal != "" && normal != "-" {
		d := normals.ParseDirection(strings.ReplaceAll(normal, " ", "+"))
		if d == normals.Unknown {
			return o, library.Invalid(fmt.Sprintf("A normal map points y+ or y-, not %q.", normal))
		}
		o.Normal = d.String()
	}
	if !slices.Contains([]string{"", "-", "roughness", "glossiness"}, roughness) {
		return o, library.Invalid(fmt.Sprintf("Take roughness or glossiness, not %q.", roughness))
	}
	o.Roughness = strings.TrimPrefix(roughness, "-")
	switch format {
	case "", "-":
	case "png": // what the usual profile has
		if o.Profile != handoff.Scanned {
			return o, library.Invalid(fmt.Sprintf("The formats are those of the profile %s. Leave format out, or take format=exr.", o.Profile))
		}
	case "exr":
		o.EXR = true
	default:
		return o, library.Invalid(fmt.Sprintf("Maps are handed over as png or exr, not %q. Profiles have further formats.", format))
	}
	if o.Profile == handoff.Scanned { // the usual conventions have no name of their own
		if o.Normal == "y+" {
			o.Normal = ""
		}
		if o.Roughness == "roughness" {
			o.Roughness = ""
		}
	}
	return o, nil
}

// words are an order as ParseOrder reads it.
func (o Order) words() string {
	format := "-"
	if o.EXR {
		format = "exr"
	}
	return fmt.Sprintf("%s@%d %s %s %s %s", o.Profile, o.Version, strings.ToLower(o.Tier.String()), cmp.Or(o.Normal, "-"), cmp.Or(o.Roughness, "-"), format)
}

// Says is an order in words, for records.
func (o Order) Says() string {
	parts := []string{o.Profile, strings.ToLower(o.Tier.String())}
	for _, w := range []string{o.Normal, o.Roughness, map[bool]string{true: "exr"}[o.EXR]} {
		if w != "" {
			parts = append(parts, w)
		}
	}
	return strings.Join(parts, ", ")
}

// Form is an order as core/handoff takes it. The order's version becomes the one that is
// used.
func (s *Service) Form(ctx context.Context, p people.Principal, o *Order) (f handoff.Form, err error) {
	profile, err := s.Profile(ctx, p, o.Profile, o.Version)
	if err != nil {
		return f, err
	}
	o.Version = profile.Version
	document := profile.Document.With(o.Conventions)
	if err := document.Check(); err != nil { // a convention that the profile can't have
		return f, library.Invalid(profileProblem(err))
	}
	if f, err = document.At(o.Tier); err != nil {
		return f, library.Invalid(profileProblem(err))
	}
	f.Label = handoff.Label(o.Profile, o.Conventions)
	return f, nil
}
