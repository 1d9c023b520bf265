// Addresses of scripts that run beside the page; the one policy that lets them says so.
const policy = window.trustedTypes?.createPolicy("own-worker", { createScriptURL: (text) => text });

export const ownScript = (address) => (policy ? policy.createScriptURL(address) : address);
