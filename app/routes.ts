import { index, layout, route, type RouteConfig } from "@react-router/dev/routes";

export default [
  route("sign-in", "routes/sign-in.tsx"),
  route("sign-out", "routes/sign-out.tsx"),
  route("serve", "routes/serve.ts"),
  route("estate/file/:form", "routes/estate/file.ts"),
  route("find", "routes/find.ts"),
  layout("frame/frame.tsx", [
    index("routes/readiness/route.tsx"),
    route("estate", "routes/estate/route.tsx"),
    route("estate/machines/:machine", "routes/estate/machines/route.tsx"),
    route("estate/stores", "routes/estate/stores/route.tsx"),
    route("estate/platforms", "routes/estate/platforms/route.tsx"),
    route("estate/platforms/:platform", "routes/estate/platforms/platform.tsx"),
    route("copies", "routes/copies/route.tsx"),
    route("runbooks", "routes/runbooks/route.tsx"),
    route("rehearsals", "routes/rehearsals/route.tsx"),
    route("records", "routes/records/route.tsx"),
    route("records/:run", "routes/records/record.tsx"),
    route("pace", "routes/pace.ts"),
  ]),
] satisfies RouteConfig;
