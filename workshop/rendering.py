"""Templates that let go of what a page was made of once it is made."""

from django.template import TemplateDoesNotExist
from django.template.backends.django import DjangoTemplates, Template, reraise
from django.template.context import make_context


class LettingGo(Template):
    """A context and the values in it hold each other in a circle. Plans of works would stay in memory with them until
    all of it is looked through, which is seldom."""

    def render(self, context=None, request=None):
        made = make_context(context, request, autoescape=self.backend.engine.autoescape)
        try:
            return self.template.render(made)
        except TemplateDoesNotExist as problem:
            reraise(problem, self.backend)
        finally:
            made.dicts.clear()


class Templates(DjangoTemplates):
    """The application's templates."""

    def get_template(self, template_name):
        return LettingGo(super().get_template(template_name).template, self)
