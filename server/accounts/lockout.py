"""What a locked-out sign-in is told."""

from django.http import HttpRequest, JsonResponse

SENTENCE = "Too many wrong passwords for this name: wait five minutes and try again."


def locked_out(request: HttpRequest, *args, **kwargs) -> JsonResponse:
    """The answer of django-axes while a name is locked."""
    return JsonResponse({"detail": SENTENCE}, status=429)
