// Package routes is the service's HTTP interface: routes, requests, and their description as OpenAPI.
//
// It turns requests into calls of the staging area, the store and the job queue, and what they give into the
// documents of package api. It decides nothing about rows.
package routes

import (
	"encoding/json"

	"sieb/core/layout"
	"sieb/core/sift"
	"sieb/service/api"
	"sieb/service/jobs"
	"sieb/service/store"
)

func deliveryOf(d store.Delivery) api.Delivery {
	out := api.Delivery{ID: d.ID, Name: d.Name, Bytes: d.Bytes, SHA256: d.SHA256, ArrivedAt: d.ArrivedAt.UTC(),
		RepeatOf:  d.RepeatOf.String,
		ArrivedAs: d.ArrivedAs.String, Note: d.Note, Refusal: d.Refusal.String, State: "arrived"}
	if given := givenOf(d.Layout); given != (layout.Given{}) {
		out.Layout, out.ByHand = &given, byHandOf(d.ByHand, given)
	}
	if d.JudgedBy != nil {
		run := headOf(*d.JudgedBy)
		out.Run, out.State = &run, run.Verdict
	}
	if d.NewestRun != nil && (out.Run == nil || out.Run.ID != d.NewestRun.ID) {
		newest := headOf(*d.NewestRun)
		if out.Run == nil && newest.Target != nil {
			out.Run, out.State = &newest, newest.State
		} else {
			out.Newest = &newest
		}
	}
	if out.Refusal != "" {
		out.State = string(sift.Refused)
	}
	return out
}

// byHandOf reads the names of the settings made by hand as the store keeps them: all of
// those given, where it keeps none.
func byHandOf(text []byte, given layout.Given) (names []string) {
	if text == nil || json.Unmarshal(text, &names) != nil {
		return namesOf(given)
	}
	return names
}

// givenOf reads settings as the store keeps them; none where there are none.
func givenOf(text []byte) (given layout.Given) {
	if text != nil && json.Unmarshal(text, &given) != nil {
		return layout.Given{}
	}
	return given
}

func headOf(r store.Run) api.RunHead {
	out := api.RunHead{ID: r.ID, Delivery: r.DeliveryID, State: r.State, Verdict: r.Verdict.String, Error: r.Error.String,
		Progress: api.Progress{Bytes: r.BytesDone, TotalBytes: r.TotalBytes, Rows: r.RowsDone}, CreatedAt: r.CreatedAt.UTC()}
	if r.TargetName.Valid {
		out.Target = &api.VersionRef{Name: r.TargetName.String, Version: int(r.TargetVersion.Int32)}
	}
	if r.MappingName.Valid {
		out.Mapping = &api.VersionRef{Name: r.MappingName.String, Version: int(r.MappingVersion.Int32)}
	}
	if r.StartedAt.Valid {
		at := r.StartedAt.Time.UTC()
		out.StartedAt = &at
	}
	if r.FinishedAt.Valid {
		at := r.FinishedAt.Time.UTC()
		out.FinishedAt = &at
	}
	out.Trouble = troubleOf(r.Trouble)
	if given := givenOf(r.Layout); given != (layout.Given{}) {
		out.Layout = &given
	}
	if r.Tally != nil && json.Unmarshal(r.Tally, &out.Tally) != nil {
		out.Tally = nil
	}
	return out
}

func troubleOf(t store.Trouble) *api.Trouble {
	if t.Tries == 0 && t.Deaths == 0 {
		return nil
	}
	out := &api.Trouble{Tries: t.Tries, Deaths: t.Deaths, Reason: t.Reason.String}
	if t.NextTry.Valid {
		at := t.NextTry.Time.UTC()
		out.NextAt = &at
	}
	return out
}

func runOf(r store.Run) (api.Run, error) {
	out := api.Run{RunHead: headOf(r)}
	if r.Result == nil {
		return out, nil
	}
	var result jobs.Result
	if err := json.Unmarshal(r.Result, &result); err != nil {
		return out, err
	}
	out.ReadAs = &result.ReadAs
	out.BlankLines, out.Tolerance = result.BlankLines, result.Tolerance
	out.Refusal, out.Columns, out.Violations, out.Remedies = result.Refusal, result.Columns, result.Violations,
		result.Remedies
	out.Excluded, out.LeftOut, out.Unjudged, out.Today = result.Excluded, result.LeftOut, result.Unjudged, result.Today
	out.References, out.Unfit = result.References, result.Unfit
	out.Outputs = map[string]string{}
	for _, name := range outputNames {
		out.Outputs[shortName(name)] = "/api/v1/runs/" + r.ID + "/outputs/" + name
	}
	for _, name := range result.Written {
		out.Outputs[name] = "/api/v1/runs/" + r.ID + "/outputs/" + name
	}
	return out, nil
}

func targetOf(t store.Text) api.Target {
	return api.Target{Name: t.Name, Version: t.Version, Title: t.Title, AddedAt: t.AddedAt.UTC(), AddedBy: t.AddedBy}
}

// wholeTarget shows a text with what it says.
func wholeTarget(t store.Listed) api.Target {
	out := targetOf(t.Text)
	out.Text, out.Retired = t.Text.Text, t.RetiredAt.Valid
	return out
}

func mappingOf(t store.Text) api.Mapping { return api.Mapping{Target: targetOf(t), For: t.Target} }

func wholeMapping(t store.Listed) api.Mapping {
	return api.Mapping{Target: wholeTarget(t), For: t.Target}
}
