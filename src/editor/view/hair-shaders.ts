/**
 * Shaders of the hair. Strand shapes are those of `src/core/fill/strands.ts`; what treatments do to a node is made from the very
 * lines of `src/core/fill/steps.ts`.
 *
 * Passes: guides at the nodes → strands between them → each treatment → into the world → their density into a volume of 64³ voxels → light through that volume → colour of
 * each node → ribbons. Reflectance after Kajiya & Kay 1989 and Marschner et al. 2003 with analytic lobes, scattering albedo
 * after Chiang et al. 2016, all *from memory*.
 */

import { LOBES_GLSL, STEPS_GLSL } from './treatments-glsl';

const PRECISION = 'precision highp float;precision highp int;precision highp sampler2D;\n';

const HASH = `
uint pcg(uint v){uint s=v*747796405u+2891336453u;uint w=((s>>((s>>28u)+4u))^s)*277803737u;return (w>>22u)^w;}
float unit(uint v){return float(pcg(v))*(1./4294967296.);}
`;

export const SCREEN_VERTEX = `${PRECISION}in vec3 position;void main(){gl_Position=vec4(position.xy,0.,1.);}`;

/** Where node k of strand s stands in the textures of nodes, and where data of a strand do. */
const LAYOUT = `
uniform int uNodes,uPerRow; // nodes of a strand, strands of a row
ivec2 nodePlace(int s,int k){return ivec2((s%uPerRow)*uNodes+k,s/uPerRow);}
ivec2 ownPlace(int i){return ivec2(i&1023,i>>10);}
float shareAt(int k){return pow(float(k)/float(uNodes-1),1.4);}
`;

/** Guides at the nodes of strands: place and chord; column 0 the guide's length instead, the last column the normal of its skin. */
export const GUIDE_FRAGMENT = `${PRECISION}
uniform sampler2D tGuide,tGuideNormal;uniform int uPoints,uNodes;out vec4 o;
vec3 guideAt(int g,float u){
  int last=uPoints-1;float x=clamp(u,0.,1.)*float(last);int i=min(int(x),last-1);float f=x-float(i);
  vec3 b=texelFetch(tGuide,ivec2(i,g),0).xyz,d=texelFetch(tGuide,ivec2(i+1,g),0).xyz;
  vec3 a=i>0?texelFetch(tGuide,ivec2(i-1,g),0).xyz:2.*b-d,e=i<last-1?texelFetch(tGuide,ivec2(i+2,g),0).xyz:2.*d-b;
  return b+.5*f*(d-a+f*(2.*a-5.*b+4.*d-e+f*(3.*(b-d)+e-a)));
}
float shareAt(int k){return pow(float(k)/float(uNodes-1),1.4);}
void main(){
  ivec2 c=ivec2(gl_FragCoord.xy);int k=c.x,g=c.y;
  if(k==uNodes){o=texelFetch(tGuideNormal,ivec2(g&1023,g>>10),0);return;}
  vec3 p=guideAt(g,shareAt(k));float chord=0.;
  if(k>0)chord=length(p-guideAt(g,shareAt(k-1)));
  else{vec3 b=p;for(int j=1;j<uNodes;j++){vec3 q=guideAt(g,shareAt(j));chord+=length(q-b);b=q;}}
  o=vec4(p,chord);
}`;

/** Strands between their guides (`FillShapes.blend`): the mean of the guides' shapes, and the length each edge is to have. */
export const BLEND_FRAGMENT = `${PRECISION}${LAYOUT}
uniform sampler2D tGuideNodes,tStrand;uniform int uStrands,uCentres,uTotal;uniform float uTurn;out vec4 o;
void main(){
  ivec2 c=ivec2(gl_FragCoord.xy);int s=c.y*uPerRow+c.x/uNodes,k=c.x%uNodes;
  if((s>=uStrands&&s<uCentres)||s>=uTotal){o=vec4(0.);return;}
  vec4 G=texelFetch(tStrand,ownPlace(4*s),0),W=texelFetch(tStrand,ownPlace(4*s+1),0);vec3 n=texelFetch(tStrand,ownPlace(4*s+2),0).xyz,p=vec3(0.);float t=shareAt(k),edge=0.;
  for(int j=0;j<4&&k>0;j++){
    int g=int(G[j]);vec3 N=texelFetch(tGuideNodes,ivec2(uNodes,g),0).xyz;vec4 q=texelFetch(tGuideNodes,ivec2(k,g),0);
    float far=uTurn>0.?t*texelFetch(tGuideNodes,ivec2(0,g),0).w/uTurn:0.,f=uTurn>0.?1./(1.+far*far):0.;
    p+=W[j]*(q.xyz+f*(n*dot(N,q.xyz)-N*dot(n,q.xyz)));edge+=W[j]*q.w;
  }
  o=vec4(p,edge);
}`;
/** Edges of the mean at the lengths they are to have; at node 0 the strand's length. */
export const EDGES_FRAGMENT = `${PRECISION}${LAYOUT}
uniform sampler2D tIn;uniform int uStrands,uCentres,uTotal;out vec4 o;
void main(){
  ivec2 c=ivec2(gl_FragCoord.xy);int s=c.y*uPerRow+c.x/uNodes,k=c.x%uNodes;
  if((s>=uStrands&&s<uCentres)||s>=uTotal){o=vec4(0.);return;}
  vec3 x=vec3(0.),before=vec3(0.);float sum=0.,edge=0.;int last=k==0?uNodes-1:k;
  for(int i=1;i<=last;i++){
    vec4 p=texelFetch(tIn,nodePlace(s,i),0);vec3 e=p.xyz-before;
    x+=e*(p.w/sqrt(max(1e-24,dot(e,e))));before=p.xyz;edge=p.w;sum+=edge;
  }
  o=k==0?vec4(0.,0.,0.,sum):vec4(x,edge);
}`;

/** One treatment after what was before it (`FillShapes.displace` and `shorten`), with the step of that name; none shortens. */
export const treatmentFragment = (kind: 'clump' | 'curl' | 'wave' | 'frizz' | 'stray' | 'bend' | null): string => `${PRECISION}${LAYOUT}
uniform sampler2D tIn,tOwn,tStrand,tTable;uniform int uStrands,uCentres,uTotal,uTabled;uniform float uProfile[64];uniform float A[8];out vec4 o;
${kind ? STEPS_GLSL : ''}
vec4 at(int s,int k){return texelFetch(tIn,nodePlace(s,k),0);}
void main(){
  ivec2 c=ivec2(gl_FragCoord.xy);int s=c.y*uPerRow+c.x/uNodes,k=c.x%uNodes,last=uNodes-1;
  if((s>=uStrands&&s<uCentres)||s>=uTotal){o=vec4(0.);return;}
  vec4 me=at(s,k),own=texelFetch(tOwn,ownPlace(s),0);
${kind === null ? `
  if(own.x>=1.){o=me;return;}
  vec3 before=at(s,0).xyz,q=before;float sum=0.,edge=0.;int end=k==0?last:k;
  for(int n=1;n<=end;n++){
    if(k>0&&n<k-1)continue;
    float x=float(n)*own.x;int i=min(int(x),last-1);float f=x-float(i);
    vec3 b=at(s,i).xyz,d=at(s,i+1).xyz,a=i>0?at(s,i-1).xyz:2.*b-d,e=i<last-1?at(s,i+2).xyz:2.*d-b;
    before=q;q=b+.5*f*(d-a+f*(2.*a-5.*b+4.*d-e+f*(3.*(b-d)+e-a)));
    edge=length(q-before);sum+=edge;
  }
  o=k==0?vec4(me.xyz,sum):vec4(q,edge);` : `
  if(!(own.x>0.)${kind === 'clump' ? '||own.y<0.' : ''}||k==0){o=me;return;}
  vec3 place=texelFetch(tStrand,ownPlace(4*s+3),0).xyz,skin=texelFetch(tStrand,ownPlace(4*s+2),0).xyz;vec4 p=at(s,0),next=at(s,1);
  S[0]=p.x;S[1]=p.y;S[2]=p.z;S[9]=p.w;S[11]=own.y;S[12]=own.z;S[13]=own.w;S[23]=skin.x;S[24]=skin.y;S[25]=skin.z;
  vec3 before=p.xyz,old=p.xyz,x=p.xyz;float along=0.;
  ${kind === 'clump' ? 'int centre=int(own.y);vec3 to=texelFetch(tStrand,ownPlace(4*centre+3),0).xyz-place;' : ''}
  ${kind === 'curl' || kind === 'wave' || kind === 'bend' ? 'vec3 t0=next.xyz-p.xyz;t0*=inversesqrt(max(1e-30,dot(t0,t0)));S[14]=t0.x;S[15]=t0.y;S[16]=t0.z;begin();' : ''}
  for(int i=1;i<=k;i++){
    p=next;if(i<last)next=at(s,i+1);
    along+=p.w;
    S[0]=p.x;S[1]=p.y;S[2]=p.z;S[6]=p.w;S[7]=shareAt(i);S[8]=along;
    int q=s*uNodes+i;S[10]=(uTabled>0?texelFetch(tTable,ownPlace(q>>2),0)[q&3]:own.x)*uProfile[i];
    ${kind === 'curl' || kind === 'wave' || kind === 'bend' || kind === 'frizz' ? 'vec3 t=next.xyz-old;t*=inversesqrt(max(1e-30,dot(t,t)));S[14]=t.x;S[15]=t.y;S[16]=t.z;old=p.xyz;' : ''}
    ${kind === 'clump' ? 'float u=float(i)*own.z;int j=min(int(u),last-1);vec4 a=at(centre,j),b=at(centre,j+1);vec3 w=b.xyz-a.xyz,m=to+a.xyz+(u-float(j))*w;w*=inversesqrt(max(1e-30,dot(w,w)));S[17]=m.x;S[18]=m.y;S[19]=m.z;S[20]=w.x;S[21]=w.y;S[22]=w.z;' : ''}
    ${kind}();
    vec3 e=vec3(S[3],S[4],S[5])-before,d=before-x;e+=toward(e.x,e.y,e.z,d.x,d.y,d.z)*(d-e*(dot(e,d)/max(1e-24,dot(e,e))));x+=e*(p.w/max(1e-12,length(e)));before=vec3(S[3],S[4],S[5]);
  }
  o=vec4(x,me.w);`}
}`;

/** How each root has moved with its triangle (`rootMotionsInto`): rotation, then place. */
export const ROOT_FRAGMENT = `${PRECISION}
uniform sampler2D tSkin,tPlant;uniform int uStrands;out vec4 o;
vec3 vertex(float v){int i=int(v);return texelFetch(tSkin,ivec2(i&1023,i>>10),0).xyz;}
vec4 turned(vec3 x,vec3 y,vec3 z){
  float t=x.x+y.y+z.z,s;vec4 q;
  if(t>0.){s=2.*sqrt(t+1.);q=vec4((y.z-z.y)/s,(z.x-x.z)/s,(x.y-y.x)/s,.25*s);}
  else if(x.x>y.y&&x.x>z.z){s=2.*sqrt(1.+x.x-y.y-z.z);q=vec4(.25*s,(y.x+x.y)/s,(z.x+x.z)/s,(y.z-z.y)/s);}
  else if(y.y>z.z){s=2.*sqrt(1.+y.y-x.x-z.z);q=vec4((y.x+x.y)/s,.25*s,(z.y+y.z)/s,(z.x-x.z)/s);}
  else{s=2.*sqrt(1.+z.z-x.x-y.y);q=vec4((z.x+x.z)/s,(z.y+y.z)/s,.25*s,(x.y-y.x)/s);}
  return normalize(q);
}
void main(){
  ivec2 c=ivec2(gl_FragCoord.xy);int i=c.y*1024+c.x,s=i>>1;
  if(s>=uStrands){o=vec4(0.);return;}
  vec4 V=texelFetch(tPlant,ivec2((3*s)&1023,(3*s)>>10),0),W=texelFetch(tPlant,ivec2((3*s+1)&1023,(3*s+1)>>10),0),r=texelFetch(tPlant,ivec2((3*s+2)&1023,(3*s+2)>>10),0);
  vec3 A=vertex(V.x),B=vertex(V.y),C=vertex(V.z);
  if((i&1)==1){o=vec4(A*(1.-W.x-W.y)+B*W.x+C*W.y,0.);return;}
  vec3 x=normalize(B-A),y=normalize(cross(x,C-A));vec4 q=turned(x,y,cross(x,y)),b=vec4(-r.xyz,r.w);
  o=vec4(q.w*b.xyz+q.xyz*b.w+cross(q.xyz,b.xyz),q.w*b.w-dot(q.xyz,b.xyz));
}`;

/** Into the world: w is the share of the width that the strand has there. */
export const PLACE_FRAGMENT = `${PRECISION}${HASH}${LAYOUT}
uniform sampler2D tIn,tRoot,tWidths;uniform int uStrands,uWidths;uniform float uWidthSpread;out vec4 o;
void main(){
  ivec2 c=ivec2(gl_FragCoord.xy);int s=c.y*uPerRow+c.x/uNodes,k=c.x%uNodes;
  if(s>=uStrands){o=vec4(0.);return;}
  vec4 q=texelFetch(tRoot,ownPlace(2*s),0),root=texelFetch(tRoot,ownPlace(2*s+1),0);vec3 p=texelFetch(tIn,nodePlace(s,k),0).xyz,v=2.*cross(q.xyz,p);
  o=vec4(root.xyz+p+q.w*v+cross(q.xyz,v),(1.+uWidthSpread*(2.*unit(16u*uint(s)+8u)-1.))*(uWidths>0?texelFetch(tWidths,ownPlace((s*uNodes+k)>>2),0)[(s*uNodes+k)&3]:1.));
}`;

/** One texture into another. */
export const COPY_FRAGMENT = `${PRECISION}uniform sampler2D tFrom;out vec4 o;void main(){o=texelFetch(tFrom,ivec2(gl_FragCoord.xy),0);}`;

const VOLUME = `
uniform vec4 uBox; // centre, size
vec4 atlas(sampler2D t,vec3 g){
  g=clamp(g,vec3(.5),vec3(63.5));float z=g.z-.5,z0=floor(z),f=z-z0,z1=min(z0+1.,63.);
  vec2 a=(vec2(mod(z0,8.),floor(z0/8.))*64.+g.xy)/512.,b=(vec2(mod(z1,8.),floor(z1/8.))*64.+g.xy)/512.;
  return mix(textureLod(t,a,0.),textureLod(t,b,0.),f);
}
vec3 toVoxels(vec3 p){return ((p-uBox.xyz)/uBox.w+.5)*64.;}
`;

/** One point a segment, added into its voxel: extinction per metre, whatever the number of strands drawn. */
export const SPLAT_VERTEX = `${PRECISION}${LAYOUT}uniform sampler2D tNodes;uniform vec4 uBox;uniform float uExtinction;out float vAmount;
void main(){
  int s=gl_VertexID/(uNodes-1),k=gl_VertexID%(uNodes-1);
  vec3 a=texelFetch(tNodes,nodePlace(s,k),0).xyz,b=texelFetch(tNodes,nodePlace(s,k+1),0).xyz;
  vec3 g=floor(((.5*(a+b)-uBox.xyz)/uBox.w+.5)*64.);float t=float(k)/float(uNodes-1);
  vAmount=length(b-a)*uExtinction*(t>.73?(1.-t)/.27:1.);
  vec2 px=vec2(mod(g.z,8.),floor(g.z/8.))*64.+g.xy+.5;
  gl_Position=any(lessThan(g,vec3(0.)))||any(greaterThan(g,vec3(63.)))?vec4(9.,9.,9.,1.):vec4(px/256.-1.,0.,1.);
  gl_PointSize=1.;
}`;
export const SPLAT_FRAGMENT = `${PRECISION}in float vAmount;out vec4 o;void main(){o=vec4(vAmount);}`;

/** Softens the density; second channel: the body's inside, from its pills. */
export const SOFTEN_FRAGMENT = `${PRECISION}uniform sampler2D tVolume;uniform vec4 uBox;uniform int uPills;uniform vec4 uPillA[16];uniform vec4 uPillB[16];out vec4 o;
void main(){
  ivec2 c=ivec2(gl_FragCoord.xy),tile=c/64,xy=c-tile*64;int z=tile.y*8+tile.x;float s=0.,w=0.;
  for(int k=-1;k<2;k++)for(int j=-1;j<2;j++)for(int i=-1;i<2;i++){
    ivec3 q=ivec3(xy,z)+ivec3(i,j,k);if(any(lessThan(q,ivec3(0)))||any(greaterThan(q,ivec3(63))))continue;
    float e=exp2(-float(i*i+j*j+k*k));s+=e*texelFetch(tVolume,ivec2(q.z&7,q.z>>3)*64+q.xy,0).r;w+=e;
  }
  vec3 p=uBox.xyz+((vec3(xy,z)+.5)/64.-.5)*uBox.w;float d=1.;
  for(int i=0;i<16;i++){if(i>=uPills)break;vec3 a=uPillA[i].xyz,ab=uPillB[i].xyz-a;float t=clamp(dot(p-a,ab)/max(dot(ab,ab),1e-9),0.,1.);d=min(d,length(p-a-ab*t)-.86*mix(uPillA[i].w,uPillB[i].w,t));}
  o=vec4(s/w,smoothstep(0.,-.014,d)*500.,d,1.);
}`;

/** Optical depth toward both lights (r, g), openness (b), density (a); and the open direction. */
export const MARCH_FRAGMENT = `${PRECISION}${VOLUME}uniform sampler2D tVolume;uniform vec3 uLight0,uLight1;layout(location=0) out vec4 o;layout(location=1) out vec4 oOpen;
vec2 ray(vec3 g,vec3 d,float reach,int n,float from){
  vec2 s=vec2(0.);float h=reach/float(n);vec3 p=g+d*from;
  for(int i=0;i<n;i++){vec3 q=p+d*h*(float(i)+.5);if(any(lessThan(q,vec3(0.)))||any(greaterThan(q,vec3(64.))))break;
    float z=floor(min(q.z,63.));vec4 v=textureLod(tVolume,(vec2(mod(z,8.),floor(z/8.))*64.+clamp(q.xy,.5,63.5))/512.,0.);s+=vec2(v.r+v.g,v.r);}
  return s*h*uBox.w/64.;
}
void main(){
  ivec2 c=ivec2(gl_FragCoord.xy),tile=c/64;vec3 g=vec3(vec2(c-tile*64)+.5,float(tile.y*8+tile.x)+.5);
  vec4 me=texelFetch(tVolume,c,0);
  if(me.r<.5&&me.b<-.03){o=vec4(0.,0.,1.,0.);oOpen=vec4(0.);return;}
  if(me.r<.5&&me.b>.03){vec2 t=ray(g,uLight0,36.,20,.6);o=vec4(t.x,0.,1.,0.);oOpen=vec4(0.,0.,0.,t.y);return;}
  vec2 t0=ray(g,uLight0,36.,20,.6),t1=ray(g,uLight1,36.,20,.6);float open=0.;vec3 bent=vec3(0.);
  const vec3 D[8]=vec3[8](vec3(.577,.577,.577),vec3(-.577,.577,.577),vec3(.577,.577,-.577),vec3(-.577,.577,-.577),vec3(.577,-.577,.577),vec3(-.577,-.577,.577),vec3(.577,-.577,-.577),vec3(-.577,-.577,-.577));
  for(int i=0;i<8;i++){float T=exp(-.55*ray(g,D[i],9.,5,.5).x);bent+=D[i]*T;open+=T/8.;}
  o=vec4(t0.x,t1.x,open,atlas(tVolume,g).r);oOpen=vec4(bent/4.,t0.y);
}`;

/** Colour of every node. */
export const COLOUR_FRAGMENT = `${PRECISION}${HASH}${LAYOUT}${VOLUME}
uniform sampler2D tNodes,tStrand,tLight,tOpen,tTints;uniform int uStrands,uTints;uniform vec3 uEye,uLight0,uLight1,uPower0,uPower1,uSky,uGround,uAbsorb,uAbsorbTip;uniform float uGloss,uSpread,uTip,uGrey;
uniform sampler2D tHeat,tRamp;uniform float uHeat,uTinted;uniform vec3 uMark;
out vec4 o;
const float PI=3.14159265;
${LOBES_GLSL}
vec3 lobes(vec3 T,vec3 L,vec3 V,vec3 sg,float j){
  float sl=clamp(dot(T,L),-1.,1.),sv=clamp(dot(T,V),-1.,1.);vec3 Lp=L-sl*T,Vp=V-sv*T;float cp=dot(Lp,Vp)*inversesqrt(dot(Lp,Lp)*dot(Vp,Vp)+1e-4),a=.06*j;
  return vec3(mirrored(sl,sv,cp,dot(V,L),a))*mirrorGain(uGloss)+through(sl,sv,cp,a)*exp(-sg*throughWay(sl,sv,cp))*throughGain(uGloss)+inner(sl,sv,cp,a)*exp(-sg*innerWay(sl,sv))*innerGain(uGloss);
}
vec3 node(int s,int k){return texelFetch(tNodes,nodePlace(s,k),0).xyz;}
void main(){
  ivec2 c=ivec2(gl_FragCoord.xy);int s=c.y*uPerRow+c.x/uNodes,k=c.x%uNodes,last=uNodes-1;
  if(s>=uStrands){o=vec4(0.);return;}
  float t=shareAt(k);vec3 p=node(s,k),T=normalize(node(s,min(k+1,last))-node(s,max(k-1,0))+1e-9),V=normalize(uEye-p);
  uint e=16u*uint(s),l=16u*uint(texelFetch(tStrand,ownPlace(4*s+2),0).w);
  float along=smoothstep(.15,1.,t);
  vec3 sg=mix(uAbsorb,uAbsorbTip,along)*exp2(uSpread*(unit(e+7u)-.5+.8*(unit(l+14u)-.5)))*mix(1.18,1.18*exp2(-uTip),along);
  if(unit(e+11u)<uGrey)sg*=.04;
  if(uTints>0){vec4 tint=texelFetch(tTints,ownPlace(s*uNodes+k),0);sg=tint.x*sg+tint.yzw;}
  float j=(unit(e+9u)-.5)+.6*(unit(l+15u)-.5);
  vec4 lit=atlas(tLight,toVoxels(p));vec3 bent=atlas(tOpen,toVoxels(p)).xyz;
  float open=mix(.3,1.,lit.z)*mix(.7,1.,smoothstep(0.,.3,t));
  vec3 C=exp(-sqrt(sg)*3.6),af=exp(-sg*.35)*.9,kms=mix(vec3(.16),vec3(.75),1.-af),N=normalize(V-T*dot(T,V)+bent*1.6),r=vec3(0.);
  for(int i=0;i<2;i++){
    vec3 L=i==0?uLight0:uLight1,E=i==0?uPower0:uPower1;float tau=i==0?lit.x:lit.y,tl=dot(T,L);
    vec3 diffuse=C/PI*mix(sqrt(max(0.,1.-tl*tl))*.45,clamp((dot(N,L)+.6)/1.6,0.,1.),.75);
    // single scattering dies with every strand crossed; multiple scattering dies more slowly and reddens
    // the brightest glints are held back a little, as film does
    vec3 glint=lobes(T,L,V,sg,j);glint/=1.+.4*max(glint.r,max(glint.g,glint.b));
    r+=E*(glint*exp(-tau*.55*(1.-.35*af))+diffuse*exp(-tau*kms*.75));
  }
  vec3 around=mix(uGround,uSky,.5+.5*clamp(bent.y*.7+.3*N.y,-1.,1.));
  r+=around*open*C+around*open*.03;
  // what is shown on the hair keeps a part of its light and shade
  float shade=dot(r,vec3(.3,.55,.15))/(dot(C,vec3(.3,.55,.15))+.02),keeps=clamp(.35+.5*shade,.25,1.3);
  if(uHeat>0.){
    vec4 g=texelFetch(tStrand,ownPlace(4*s),0),w=texelFetch(tStrand,ownPlace(4*s+1),0);float h=0.,all=0.;
    for(int i=0;i<4;i++){int k=int(g[i]);h+=w[i]*texelFetch(tHeat,ivec2(k%1024,k/1024),0).x;all+=w[i];}
    r=mix(r,texelFetch(tRamp,ivec2(int(255.*clamp(h/max(all,1e-6),0.,1.)+.5),0),0).xyz*keeps,uHeat);
  }
  r=mix(r,uMark*keeps,uTinted);
  o=vec4(min(r,vec3(4.)),1.);
}`;

/** Ribbons: strand = id / 2 nodes, node = (id mod 2 nodes) / 2, side = id mod 2. */
export const RIBBON_VERTEX = `${PRECISION}${LAYOUT}uniform sampler2D tNodes,tColour;uniform mat4 uViewProjection;uniform vec3 uEye,uForward;uniform float uPixel,uWidth,uTaper,uTipFrom,uThicken;
out vec3 vColour;out float vAlpha;out float vAlong;out float vDeep;flat out uint vStrand;
vec3 node(int s,int k){return texelFetch(tNodes,nodePlace(s,k),0).xyz;}
void main(){
  int s=gl_VertexID/(2*uNodes),l=gl_VertexID%(2*uNodes),k=l>>1,last=uNodes-1;float side=(l&1)==0?-1.:1.,t=shareAt(k);
  vec4 here=texelFetch(tNodes,nodePlace(s,k),0);vec3 p=here.xyz;
  vec3 T=normalize(node(s,min(k+1,last))-node(s,max(k-1,0))+1e-9),V=normalize(uEye-p);
  vDeep=dot(p-uEye,uForward);float px=uPixel*max(.01,vDeep),w=uWidth*uThicken*here.w*mix(1.,uTaper,smoothstep(uTipFrom,1.,t)),drawn=max(w,px);
  vec3 across=cross(T,V);float a=length(across);across=a>1e-3?across/a:vec3(1.,0.,0.);
  vAlpha=min(1.,w/drawn);vAlong=t;vStrand=uint(s);vColour=texelFetch(tColour,nodePlace(s,k),0).rgb;
  gl_Position=uViewProjection*vec4(p+across*drawn*.5*side,1.);
}`;
/** Hashed alpha: no order needed, and frames accumulate to the true coverage. */
export const RIBBON_FRAGMENT = `${PRECISION}${HASH}in vec3 vColour;in float vAlpha,vAlong;flat in uint vStrand;uniform uint uFrame;out vec4 o;
void main(){
  float a=vAlpha*(1.-.6*smoothstep(.9,1.,vAlong));
  if(a<unit(pcg(vStrand)^(uint(gl_FragCoord.x)+8192u*uint(gl_FragCoord.y)+uFrame*39568453u)))discard;
  o=vec4(vColour,1.);
}`;

/** Instead of a colour: the strand's number + 1 and its depth along the view, m; w says that it is one. */
export const PICK_FRAGMENT = `${PRECISION}in float vDeep;flat in uint vStrand;out vec4 o;void main(){o=vec4(float(vStrand)+1.,vDeep,0.,2.);}`;

/** Small meshes along the strands (`layAlong`): instance = strand. */
export const PLANTED_VERTEX = `${PRECISION}${HASH}${LAYOUT}in vec3 position,normal;
uniform sampler2D tNodes,tShapes,tRoot,tStrand;uniform mat4 uViewProjection;uniform float uWide,uSpin,uWidthSpread;uniform uint uSeed;
out vec3 vNormal,vPlace;out float vAlong;flat out uint vStrand;
vec3 node(int s,int k){return texelFetch(tNodes,nodePlace(s,clamp(k,0,uNodes-1)),0).xyz;}
float widthAt(int s,int k){return texelFetch(tNodes,nodePlace(s,k),0).w;}
void main(){
  int s=gl_InstanceID;float y=clamp(position.y,0.,1.);int k=0;
  for(int j=1;j<uNodes-1;j++)if(shareAt(j)<y)k=j;
  float f=(y-shareAt(k))/(shareAt(k+1)-shareAt(k));
  vec3 a=node(s,k),b=node(s,k+1),T=normalize((1.-f)*(b-node(s,k-1))+f*(node(s,k+2)-a)+1e-12);
  vec4 q=texelFetch(tRoot,ownPlace(2*s),0);vec3 m=texelFetch(tStrand,ownPlace(4*s+2),0).xyz,t2=2.*cross(q.xyz,m);m+=q.w*t2+cross(q.xyz,t2);
  vec3 u=m-T*dot(m,T);if(dot(u,u)<1e-6)u=abs(T.x)<.7?vec3(1,0,0)-T*T.x:vec3(0,1,0)-T*T.y;u=normalize(u);vec3 side=cross(u,T);
  float spin=6.2831853*uSpin*(unit(((uint(s)+1u)*0x9e3779b1u^(uSeed+17u)*0x85ebca6bu)+9u*0x632be5abu)-.5),c=cos(spin),n=sin(spin),wide=texelFetch(tShapes,nodePlace(s,0),0).w*uWide;
  // what treatments make of the width, without what makes one hair thicker than another
  wide*=mix(widthAt(s,k),widthAt(s,k+1),f)/(1.+uWidthSpread*(2.*unit(16u*uint(s)+8u)-1.));
  vec2 xz=vec2(c*position.x-n*position.z,n*position.x+c*position.z),N=vec2(c*normal.x-n*normal.z,n*normal.x+c*normal.z);
  vPlace=mix(a,b,f)+wide*(xz.x*side+xz.y*u);vNormal=normalize(N.x*side+N.y*u+normal.y*uWide*T);vAlong=y;vStrand=uint(s);
  gl_Position=uViewProjection*vec4(vPlace,1.);
}`;
export const PLANTED_FRAGMENT = `${PRECISION}${HASH}${VOLUME}in vec3 vNormal,vPlace;in float vAlong;flat in uint vStrand;
uniform sampler2D tLight,tOpen,tTints;uniform int uNodes,uTints;uniform vec3 uEye,uLight0,uLight1,uPower0,uPower1,uSky,uGround,uAbsorb,uAbsorbTip;uniform float uGloss,uSpread,uTip,uGrey;out vec4 o;
void main(){
  uint e=16u*vStrand;float along=smoothstep(.15,1.,vAlong);
  vec3 sg=mix(uAbsorb,uAbsorbTip,along)*exp2(uSpread*(unit(e+7u)-.5))*mix(1.18,1.18*exp2(-uTip),along);if(unit(e+11u)<uGrey)sg*=.04;
  if(uTints>0){int i=int(vStrand)*uNodes+int(float(uNodes-1)*pow(clamp(vAlong,0.,1.),1./1.4)+.5);vec4 tint=texelFetch(tTints,ivec2(i&1023,i>>10),0);sg=tint.x*sg+tint.yzw;}
  vec3 C=exp(-sqrt(sg)*3.6),N=normalize(vNormal),V=normalize(uEye-vPlace),r=vec3(0.);vec4 lit=atlas(tLight,toVoxels(vPlace));
  for(int i=0;i<2;i++){
    vec3 L=i==0?uLight0:uLight1,E=i==0?uPower0:uPower1,H=normalize(L+V);float shade=exp(-.5*(i==0?lit.x:lit.y)),d=max(0.,dot(N,L)),h=max(0.,dot(N,H)),q=1.-max(0.,dot(V,H));
    // Source: Blinn–Phong, normalised, with Schlick's Fresnel, from memory
    r+=E*shade*d*(C/3.14159+uGloss*(.0465+.9535*q*q*q*q*q)*(40.+8.)/25.13*pow(h,40.));
  }
  r+=mix(uGround,uSky,.5+.5*N.y)*C*mix(.3,1.,lit.z);
  o=vec4(min(r,vec3(4.)),1.);
}`;

export const ACCUMULATE_FRAGMENT = `${PRECISION}uniform sampler2D tOld,tNew;uniform float uShare;out vec4 o;
void main(){ivec2 c=ivec2(gl_FragCoord.xy);o=mix(texelFetch(tOld,c,0),min(texelFetch(tNew,c,0),vec4(6.)),uShare);}`;

/** A picture that was kept, with its depth. */
export const KEPT_FRAGMENT = `${PRECISION}uniform sampler2D tColour,tDepth;out vec4 o;
void main(){ivec2 c=ivec2(gl_FragCoord.xy);o=texelFetch(tColour,c,0);gl_FragDepth=texelFetch(tDepth,c,0).r;}`;

/** Film-like curve (Narkowicz's fit of the ACES curve, *from memory*), sRGB, half a step of dither. */
export const OUTPUT_FRAGMENT = `${PRECISION}uniform sampler2D tLinear;uniform float uMirrored;out vec4 o;
void main(){
  ivec2 at=ivec2(gl_FragCoord.xy);
  if(uMirrored>.5)at.x=textureSize(tLinear,0).x-1-at.x;
  vec4 l=texelFetch(tLinear,at,0);
  // colours come mixed with what is behind; where nothing is, they are taken apart from it
  vec3 c=max(l.rgb,0.)/max(l.a,1e-3)*.8;
  c=clamp(c*(2.51*c+.03)/(c*(2.43*c+.59)+.14),0.,1.);
  c=mix(c*12.92,1.055*pow(c,vec3(1./2.4))-.055,step(.0031308,c));
  o=vec4(c+(fract(52.9829189*fract(dot(gl_FragCoord.xy,vec2(.06711056,.00583715))))-.5)/255.,clamp(l.a,0.,1.));
}`;

/** What skin and cloth take from the hair's volume: shadow, and a tint where hair is dense on them. */
export const BODY_DECLARE = `${VOLUME}uniform sampler2D tLight,tOpen;uniform vec3 uTint;uniform float uHair;varying vec3 vCombWorld;`;
export const BODY_SHADE = `
  if(uHair>.5){
    vec3 cw=vCombWorld,cn=inverseTransformDirection(normal,viewMatrix);
    vec3 cv=toVoxels(cw+cn*.008);
    if(all(greaterThan(cv,vec3(0.)))&&all(lessThan(cv,vec3(64.)))){
      float tau=atlas(tOpen,cv).w;float dense=atlas(tLight,toVoxels(cw+cn*.004)).w;
      float under=smoothstep(10.,80.,dense);
      reflectedLight.directDiffuse*=exp(-.5*min(tau,5.));
      reflectedLight.directSpecular*=exp(-.8*min(tau,5.))*(1.-under);
      reflectedLight.indirectDiffuse*=mix(.6,1.,exp(-.4*tau))*mix(1.,.6,under);
      reflectedLight.directDiffuse=mix(reflectedLight.directDiffuse,reflectedLight.directDiffuse*uTint,under);
      reflectedLight.indirectDiffuse=mix(reflectedLight.indirectDiffuse,reflectedLight.indirectDiffuse*uTint,under);
    }
  }
`;
