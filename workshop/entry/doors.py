"""Coming in and going out; the password, and the browsers in which somebody is signed in."""

from django import forms
from django.contrib import messages
from django.contrib.auth import update_session_auth_hash
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.forms import AuthenticationForm, PasswordChangeForm
from django.contrib.auth.views import LoginView, LogoutView
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.decorators import method_decorator
from django.views.decorators.http import require_POST

from . import throttle
from .allowance import rooms
from .models import SignedIn
from .sessions import end, end_others, note


@method_decorator(login_not_required, name="dispatch")
class Enter(LoginView):
    template_name = "entry/enter.html"
    form_class = AuthenticationForm

    def post(self, request, *args, **kwargs):
        name = request.POST.get("username", "")
        self.keys = throttle.keys_of(request, name)
        if wait := throttle.wait_seconds(self.keys):
            return self._later(wait)
        return super().post(request, *args, **kwargs)

    def get_context_data(self, **more):
        return super().get_context_data(name=self.request.POST.get("username", "")[:150], **more)

    def _later(self, wait: int):
        context = self.get_context_data(form=forms.Form(), wait=wait)
        response = render(self.request, self.template_name, context, status=429)
        response["Retry-After"] = str(wait)
        return response

    def form_valid(self, form):
        throttle.right(self.keys)
        response = super().form_valid(form)
        throttle.know(response, self.request, form.cleaned_data["username"])
        return response

    def form_invalid(self, form):
        throttle.wrong(self.keys)
        return self.render_to_response(self.get_context_data(form=form), status=401)


class Leave(LogoutView):
    """No picture or outline of what was seen stays in the browser."""

    def post(self, request, *args, **kwargs):
        response = super().post(request, *args, **kwargs)
        # not what is stored: there may be ticks of the bench that were not sent yet
        response["Clear-Site-Data"] = '"cache"'
        return response


def account(request):
    """Whose account it is: another password, and where it is signed in."""
    if not request.user.has_usable_password():
        return render(request, "entry/account.html", {"here": True})
    form = PasswordChangeForm(request.user, request.POST or None)
    if request.method == "POST":
        if form.is_valid():
            form.save()
            end_others(request)
            update_session_auth_hash(request, form.user)
            note(request, form.user)
            messages.success(request, "Your password is another now. Every other browser has to sign in again.")
            return redirect("account")
        return render(request, "entry/account.html", _account(request, form), status=422)
    return render(request, "entry/account.html", _account(request, form))


def _account(request, form) -> dict:
    return {
        "form": form,
        "browsers": request.user.signed_in.all(),
        "current": request.session.session_key,
        "rooms": rooms(request.user, counted=True),
    }


@require_POST
def end_one(request, pk: int):
    """Sign out one browser of one's own."""
    one = get_object_or_404(SignedIn, pk=pk, person=request.user)
    if one.session == request.session.session_key:
        raise Http404
    end(one)
    messages.success(request, "That browser has to sign in again.")
    return redirect("account")


@require_POST
def end_all_others(request):
    end_others(request)
    messages.success(request, "Every other browser has to sign in again.")
    return redirect("account")
