import { data, Form, redirect, useSearchParams } from "react-router";
import { object, string, ValidationError } from "yup";
import { sessionCookie } from "#server/people/session-cookie.ts";
import { signIn } from "#server/people/sign-in.ts";
import { explained } from "../context.ts";
import { Mark } from "../frame/mark.tsx";
import { Button } from "../ui/button.tsx";
import { Field } from "../ui/field.tsx";
import { Notice } from "../ui/notice.tsx";
import type { Route } from "./+types/sign-in";

export const meta: Route.MetaFunction = () => [{ title: "Sign in · Ypostasis" }];

const schema = object({ name: string().trim().required("Write your sign-in name."), password: string().required("Write your password.") });

/** Only addresses of our own are gone on to. */
const ownPath = (to: string | null): string => (to && /^\/(?!\/)[^\\]*$/.test(to) ? to : "/");

export async function action({ request, context }: Route.ActionArgs) {
  const form = Object.fromEntries(await request.formData());
  const name = String(form["name"] ?? "");
  try {
    const { name, password } = await schema.validate(form, { abortEarly: false });
    const token = await signIn(context.app.connection.db, name, password);
    if (!token) return data({ name, error: "Name and password do not fit together. The start of the demo printed both; letters count as typed." }, { status: 401 });
    return redirect(ownPath(new URL(request.url).searchParams.get("to")), { headers: { "set-cookie": sessionCookie(token) } });
  } catch (error) {
    if (error instanceof ValidationError) return data({ name, error: error.errors.join(" ") }, { status: 400 });
    throw explained(error);
  }
}

export default function SignIn({ actionData }: Route.ComponentProps) {
  const [params] = useSearchParams();
  return (
    <main className="grid min-h-dvh place-items-center p-6">
      <div className="w-full max-w-sm">
        <Mark />
        <h1 className="mt-8">Sign in</h1>
        <p className="mt-1 text-soft">Local sign-in: it needs no directory and no network, so it works on the day they are down.</p>
        <Form method="post" action={`/sign-in?${params}`} className="mt-6 space-y-4">
          <Field id="name" name="name" label="Name" autoComplete="username" autoFocus defaultValue={actionData?.name} required />
          <Field id="password" name="password" type="password" label="Password" autoComplete="current-password" required />
          {actionData?.error && <Notice kind="wrong">{actionData.error}</Notice>}
          <Button kind="act" type="submit">
            Sign in
          </Button>
        </Form>
      </div>
    </main>
  );
}
